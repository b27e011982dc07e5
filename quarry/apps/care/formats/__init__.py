"""The register and its history as delimited text: three tables, out and back in without loss."""
