"""The policy of an organisation: thresholds and methods with defaults and reasons, used by every app above it."""
