"""Products in the store, mix sheets, and the records of what was sprayed."""
