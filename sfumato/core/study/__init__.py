"""The document as values: coats, shots, views, the study, and their plain form."""
