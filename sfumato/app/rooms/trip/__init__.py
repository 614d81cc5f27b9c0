"""The Round trip room: carriers sent to other programs, and the looks that come back."""
