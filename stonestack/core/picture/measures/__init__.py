"""Numbers about arrays: differences, quantiles, histograms. Nothing that changes a picture."""
