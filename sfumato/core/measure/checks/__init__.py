"""The checks of the assay, by what they look at."""
