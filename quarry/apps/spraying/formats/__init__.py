"""Mix sheets and spray records as paper and tables."""
