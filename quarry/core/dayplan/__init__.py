"""What a day is planned from, made of records: hours, sets, charge needed, cooling, supply, pins, packing list, differences."""
