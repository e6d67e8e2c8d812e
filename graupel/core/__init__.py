"""The rules and the computation of the catalogue: values in, values out."""
