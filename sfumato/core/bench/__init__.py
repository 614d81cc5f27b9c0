"""What stands on the bench: the arithmetic of a camera's monitor, without files and windows."""
