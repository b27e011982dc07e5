"""Boundary files: whatever a customer mails, to areas, lines and points with all that was done to them."""
