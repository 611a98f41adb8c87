"""`python -m inkwell_groove.web.openapi` prints the document from which the front end's types are generated."""

from __future__ import annotations

import json
import sys

from inkwell_groove.web.app import make_app

if __name__ == "__main__":
    sys.stdout.write(json.dumps(make_app().openapi(), indent=1, sort_keys=True) + "\n")
