"""`make reference [FILE=path]`: the table, and a failing exit code if any value is off."""

import sys
from pathlib import Path

from tests.reference.runner import VALUES, report, run

told, unmapped = run(Path(sys.argv[1]) if len(sys.argv) > 1 else VALUES)
print(report(told, unmapped))
sys.exit(any(t.failures for t in told) or not told)
