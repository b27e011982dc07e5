"""Pictures of the ground under the map: kept as small tiles with the company, shown without a network."""
