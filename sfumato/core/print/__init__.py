"""Colours on paper: a press as a model, and how colours are separated into its inks."""
