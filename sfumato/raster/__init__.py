"""Pixels in PNG, JPEG, TIFF and EXR files, as they are stored: for stills and for pictures of LUTs."""
