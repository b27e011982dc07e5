"""Flight logs: what their columns are, reading them whatever their form, and what they say of flight and pack."""
