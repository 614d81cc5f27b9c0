"""Outlets at work: templates, writing to them, what each target makes of its file, packs."""
