"""The bench with files: LUTs and pictures through the stand-ins of devices."""
