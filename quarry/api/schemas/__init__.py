"""What goes in and out, written by hand; field names carry their units."""
