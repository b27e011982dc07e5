"""The HTTP API: parse, call a service or selector, answer. Rules live in apps and core."""
