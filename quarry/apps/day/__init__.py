"""Days: which jobs are flown with which aircraft, packs and chargers, and the rotation planned for it."""
