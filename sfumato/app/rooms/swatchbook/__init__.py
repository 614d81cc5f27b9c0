"""The Swatchbook room: a shot through many looks."""
