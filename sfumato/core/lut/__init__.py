"""LUTs as arrays and stages: tables, transforms, sampling, fitting, inverses."""
