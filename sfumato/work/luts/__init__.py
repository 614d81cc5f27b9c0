"""LUT files: read, delivered, proved, compared, by the batch, on the wall."""
