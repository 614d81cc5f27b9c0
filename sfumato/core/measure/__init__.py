"""Looking at colours: scopes, the assay of a LUT, guesses, descriptions of looks."""
