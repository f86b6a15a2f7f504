"""The demo's web server: `python -m demo.serve 8000`. It reads all code while the demo is loaded, and answers once its
first pages can be looked at."""

from __future__ import annotations

import os
import sys
import time
from importlib import import_module
from pathlib import Path

import waitress


def main() -> None:
    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "rulka.web.settings")
    application = import_module("rulka.web.wsgi").application
    ready = Path(os.environ["RULKA_VAR"]) / "demo-ready"
    while not ready.exists():
        time.sleep(0.02)
    (ready.parent / "demo-serving").touch()
    print(f"Rulka runs at {os.environ['RULKA_ADDRESS']} (Ctrl+C stops it)", flush=True)
    waitress.serve(application, listen=f"127.0.0.1:{int(sys.argv[1])}", threads=8, _quiet=True)


if __name__ == "__main__":
    main()
