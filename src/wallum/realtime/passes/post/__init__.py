"""Post-processing: focus, bloom, metering, developing, edge smoothing."""
