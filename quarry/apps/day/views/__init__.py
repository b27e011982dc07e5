"""What screens, files and tables show of days: one frozen shape for each thing."""
