"""Pictures and clips through a look into new files."""
