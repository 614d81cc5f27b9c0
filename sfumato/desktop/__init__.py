"""What the desktop needs to know the program by: entry, icon, MIME types, description, man page."""
