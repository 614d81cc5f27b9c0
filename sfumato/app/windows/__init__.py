"""The window itself and its dialogs."""
