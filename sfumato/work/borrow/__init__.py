"""Looks borrowed from picture files: read, solved, written."""
