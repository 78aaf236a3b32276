"""Made-up demo material in the Saltglass scenario, drawn by fixed seeds."""
