"""The Apply room: shots into new files, and painting on stills."""
