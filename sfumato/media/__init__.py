"""Pictures and clips: bytes <-> pixels with the facts the file states."""
