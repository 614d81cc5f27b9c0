"""The glazes, one a file; each ends in its SPEC."""
