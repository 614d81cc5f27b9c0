"""What lies on the user's disk: studies, presets, encodings, OCIO configs."""
