"""Print tests as a share of all hand-written lines; blank lines and generated files are left out."""

import subprocess
import sys
from pathlib import Path

SUFFIXES = {".py", ".ts", ".svelte", ".js", ".css", ".sh"}


def main() -> int:
    """Count, print, and fail outside a quarter to a third."""
    listed = subprocess.run(["git", "ls-files", "-co", "--exclude-standard"], capture_output=True, text=True, check=True)
    code = tests = 0
    for name in listed.stdout.split("\n"):
        path = Path(name)
        if path.suffix not in SUFFIXES or "migrations/" in name or "schema.d.ts" in name or not path.is_file():
            continue
        lines = sum(1 for line in path.read_text(encoding="utf-8").split("\n") if line.strip())
        if name.startswith("tests/") or ".test." in name:
            tests += lines
        else:
            code += lines
    share = tests / (code + tests)
    print(f"tests are {share:.1%} of {code + tests} lines ({tests} of tests, {code} of code); the aim is 25 to 33 %")
    return 0 if 0.25 <= share <= 0.33 else 1


if __name__ == "__main__":
    sys.exit(main())
