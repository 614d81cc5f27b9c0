"""The command line: the same services as the window, without Qt."""
