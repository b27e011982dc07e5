"""The handover of a search: a sheet to print, a table, and a file that another crew reads in again."""

from quarry.apps.search.formats.handover import HandoverFacts, handover_csv, handover_geojson
from quarry.apps.search.formats.handover_pdf import handover_pdf
from quarry.apps.search.formats.reading import ReadHandover, ReadReport, read_handover

__all__ = [
    "HandoverFacts",
    "ReadHandover",
    "ReadReport",
    "handover_csv",
    "handover_geojson",
    "handover_pdf",
    "read_handover",
]
