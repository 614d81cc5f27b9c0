"""The version, in a module that imports nothing so that `--version` answers at once."""

VERSION = "0.1.0"
