"""The wheel by itself: built from the tree, installed with pip alone, asked to forecast, to serve and to speak.

`python -m tests.wheel PYTHON...` does so with each interpreter named; it needs a package index, so it is no test.
"""

from __future__ import annotations

import subprocess
import sys
import tempfile
import time
import urllib.request
from pathlib import Path

from tests.sheets import sheet
from zesty_cell.formats.sheet_json import write_sheet

ROOT = Path(__file__).parents[1]
_SPEAKS = "from zesty_cell.formats.espeak import VOICES, speak; print(speak('land now', voice=VOICES[0])[0].size)"


def _run(*command: str | Path, cwd: Path) -> str:
    done = subprocess.run([str(c) for c in command], cwd=cwd, capture_output=True, text=True, check=False)
    if done.returncode:
        raise SystemExit(f"{' '.join(map(str, command))}\n{done.stdout}{done.stderr}")
    return done.stdout


def _serves(zesty_cell: Path, folder: Path, port: int) -> str:
    """The first page of a server that was just started."""
    process = subprocess.Popen(
        [zesty_cell, "demo", "--port", str(port), "--database", folder / "demo.sqlite", "--log-level", "error"],
        cwd=folder, stdout=subprocess.DEVNULL,
    )  # fmt: skip
    try:
        for _ in range(600):
            try:
                with urllib.request.urlopen(f"http://127.0.0.1:{port}/sheets/8", timeout=30) as answer:
                    return answer.read().decode()
            except OSError:
                time.sleep(0.1)
        raise SystemExit("The server did not answer within a minute.")
    finally:
        process.terminate()
        process.wait(10)


def try_wheel(python: str, port: int) -> None:
    """Build, install and try with one interpreter."""
    with tempfile.TemporaryDirectory() as place:
        folder = Path(place)
        _run(sys.executable, "-m", "pip", "wheel", "--quiet", "--no-deps", "-w", folder, ROOT, cwd=folder)
        wheel = next(folder.glob("*.whl"))
        _run(python, "-m", "venv", folder / "venv", cwd=folder)
        bin_ = folder / "venv" / "bin"
        _run(bin_ / "pip", "install", "--quiet", f"{wheel}[voices]", cwd=folder)
        (folder / "sheet.json").write_text(write_sheet(sheet()))
        forecast = _run(bin_ / "zesty-cell", "forecast", "sheet.json", cwd=folder)
        assert "Be on the ground at" in forecast
        html = _serves(bin_ / "zesty-cell", folder, port)
        assert "Zesty Cell" in html
        assert int(_run(bin_ / "python", "-c", _SPEAKS, cwd=folder)) > 10_000
        version = _run(bin_ / "python", "--version", cwd=folder).strip()
        print(f"{version}: {wheel.name} forecasts, serves and speaks ({wheel.stat().st_size / 1e6:.1f} MB)")


if __name__ == "__main__":
    for number, interpreter in enumerate(sys.argv[1:]):
        try_wheel(interpreter, 8770 + number)
