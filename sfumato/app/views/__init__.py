"""Widgets that paint what they are given."""
