"""Settings, addresses and the start of the product; nothing of the trade."""
