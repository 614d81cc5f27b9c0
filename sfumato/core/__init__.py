"""Colour science and tables on NumPy arrays: no Qt, no files, no threads."""
