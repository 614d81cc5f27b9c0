"""Tables on disk: bytes <-> core transforms, one format a file."""
