"""Certificates of the tests' own."""

from __future__ import annotations

import subprocess
from pathlib import Path


def certificate_in(folder: Path) -> tuple[Path, Path]:
    """Make a certificate for a name that is not where it is asked, as a proxy's or a house's would be, and its key."""
    own, key = folder / "cert.pem", folder / "key.pem"
    words = ["openssl", "req", "-x509", "-newkey", "rsa:2048", "-nodes", "-days", "1", "-subj", "/CN=archive.example"]
    subprocess.run([*words, "-keyout", key, "-out", own], check=True, capture_output=True)
    return own, key
