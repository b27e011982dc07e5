"""The policy of an organisation: thresholds and schools with defaults and reasons, used by every app above it."""
