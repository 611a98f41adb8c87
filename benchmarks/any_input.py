"""Schemathesis in all of its phases, by everybody: `python -m benchmarks.any_input --examples 50`.

Boundary values and what is just beyond them for every parameter, made-up requests, and chains of requests that follow
one another, against two real houses: one where nobody signs in, and one for each role and for nobody. No answer may be
a fault of the server, or another than the document tells of.
"""

from __future__ import annotations

import argparse
import os
import shutil
import subprocess
import sys
import tempfile
from pathlib import Path

from launcher.database import Database
from launcher.places import ROOT
from tests.asking import WHO, two_houses

_CHECKS = "not_a_server_error,status_code_conformance,content_type_conformance,response_schema_conformance"
_PHASES = "examples,coverage,fuzzing,stateful"
# Its answer has no end; and what ends the token that asks.
_LEFT_OUT = ("events", "signOut", "revokeToken", "changePassword")


def main() -> int:
    """Ask as each of them, and print what schemathesis says; 1 if anything was not as it should be."""
    parser = argparse.ArgumentParser(description=(__doc__ or "").partition("\n")[0])
    parser.add_argument("who", nargs="*", help=f"of {', '.join(WHO)}; without any, all")
    parser.add_argument("--examples", type=int, default=50)
    wanted = parser.parse_args()
    root = Path(tempfile.mkdtemp(prefix="inkwell-any-input-"))
    mariadb = Database(root / "mariadb", is_durable=False)
    mariadb.ensure_running()
    failed = []
    try:
        with two_houses(mariadb, root) as asking:
            for who in wanted.who or reversed(WHO):  # a keeper ends accounts that others ask with
                sys.stdout.write(f"== {who}\n")
                sys.stdout.flush()
                address = asking.address_for(who)
                command = ["schemathesis", "run", f"{address}/api/v1/openapi.json", "--url", address]
                command += ["--phases", _PHASES, "--checks", _CHECKS, "--max-examples", str(wanted.examples)]
                command += ["--continue-on-failure", "--request-timeout", "60", "--no-shrink", "--no-color"]
                command += [part for name in _LEFT_OUT for part in ("--exclude-operation-id", name)]
                for name, value in asking.headers_for(who).items():
                    command += ["--header", f"{name}: {value}"]
                hooks = {**os.environ, "SCHEMATHESIS_HOOKS": "tests.small_numbers", "PYTHONPATH": str(ROOT)}
                if subprocess.run(command, check=False, env=hooks, cwd=root).returncode:
                    failed.append(who)
    finally:
        mariadb.stop()
        shutil.rmtree(root, ignore_errors=True)
    sys.stdout.write(f"not as it should be: {', '.join(failed)}\n" if failed else "all as it should be\n")
    return 1 if failed else 0


if __name__ == "__main__":
    sys.exit(main())
