"""The Convert room: LUT files in, LUT files out."""
