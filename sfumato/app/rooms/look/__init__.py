"""The Look room: the path of a colour, the picture, the instruments."""
