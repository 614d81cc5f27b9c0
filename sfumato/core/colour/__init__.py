"""Colours: encodings, their curves, spaces to measure in, the tone scale."""
