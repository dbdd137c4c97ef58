"""Discharge runs: recorded by the stand-in's own process, brought in, laid over one another, and flown on."""

from __future__ import annotations

import json
import re
import subprocess
import sys
import time
import urllib.request
from collections.abc import Iterator
from pathlib import Path

import pytest
from playwright.sync_api import Page, expect

from tests.core.discharge.test_discharge import a_pack
from tests.e2e.conftest import free_port, running, wait_for_scripts

pytestmark = pytest.mark.e2e


@pytest.fixture
def discharger() -> Iterator[str]:
    """The stand-in discharger as a process of its own."""
    port = free_port()
    process = subprocess.Popen(
        [sys.executable, "-m", "zesty_cell", "discharger", "--port", str(port)], stdout=subprocess.DEVNULL
    )
    address = f"http://127.0.0.1:{port}"
    try:
        deadline = time.monotonic() + 60
        while True:
            try:
                urllib.request.urlopen(f"{address}/openapi.json", timeout=5).close()
                break
            except OSError:
                if process.poll() is not None or time.monotonic() > deadline:
                    raise
                time.sleep(0.05)
        yield address
    finally:
        process.terminate()
        process.wait(10)


def record(discharger: str, file: Path, **order) -> Path:
    """Have a pack of the hangar's kind discharged, and what was recorded written to a file."""
    pack = a_pack(capacity_ah=1.55, mass_kg=0.182, label_c=100.0)
    body = {"pack": pack.model_dump(mode="json"), "seed": 31, "cutoff_v": 13.2, "air_c": 20.0} | order
    asked = urllib.request.Request(
        f"{discharger}/runs", json.dumps(body).encode(), {"content-type": "application/json"}
    )
    with urllib.request.urlopen(asked, timeout=60) as answer:
        file.write_bytes(answer.read())
    return file


def bring_in(page: Page, club: str, file: Path) -> None:
    page.goto(f"{club}/tests")
    page.get_by_role("link", name="Discharge runs").click()
    page.get_by_role("link", name="Bring a run in").click()
    page.get_by_label("File").set_input_files(file)
    page.get_by_label("Pack", exact=True).select_option(label="Satsuma 1")
    page.get_by_label("Air on the bench").fill("20")
    page.get_by_role("button", name="Look at it").click()
    wait_for_scripts(page)


def test_runs_of_a_hidden_pack_become_its_own_curve(page: Page, discharger: str, tmp_path: Path):
    with running("demo", tmp_path / "club.sqlite") as (club, _):
        files = [
            record(discharger, tmp_path / "slow.csv", amps=0.8, every_s=6),
            record(discharger, tmp_path / "fast.csv", amps=7.5),
            record(discharger, tmp_path / "flown.csv", mode="pattern", pattern=[[12, 90], [25, 30], [8, 140]]),
        ]
        bring_in(page, club, files[0])
        # It is a 4S recording: the pages say so before it is kept, and another pack is not offered it.
        expect(page.locator("#log-said")).to_contain_text("cannot be Satsuma 1")
        page.get_by_role("button", name="Put it in the drawer").click()
        expect(page.locator("#log-said")).to_contain_text("cannot be Satsuma 1")
        page.get_by_role("button", name="Delete this run").click()
        expect(page.get_by_text("slow.csv” is deleted.")).to_be_visible()
        for file in files:
            page.goto(f"{club}/tests/discharges/new")
            page.get_by_label("File").set_input_files(file)
            page.get_by_label("Pack", exact=True).select_option(label="Clementine 1")
            page.get_by_label("Air on the bench").fill("20")
            page.get_by_role("button", name="Look at it").click()
            wait_for_scripts(page)
            # A wrong unit is seen at a glance, and mended.
            unit = page.get_by_label("Unit of charge drawn")
            unit.select_option(label="Ah")
            expect(page.locator("#log-said")).to_contain_text("another unit")
            unit.select_option(label="mAh")
            expect(page.locator("#log-said")).not_to_contain_text("another unit")
            page.get_by_role("button", name="Put it in the drawer").click()
            expect(page.get_by_role("heading", level=1)).to_have_text("Discharge runs")
        wait_for_scripts(page)
        drawer = page.locator(".drawer-pack", has=page.get_by_role("heading", name="Clementine 1"))
        for box in drawer.get_by_role("checkbox").all():
            box.check()
        rows = page.locator(".to-cutoff tbody tr")
        expect(rows).to_have_count(3)
        # The cutoff is dragged on the picture; the table follows.
        page.locator("#cutoff").fill("3.40")
        expect(page.locator(".to-cutoff thead")).to_contain_text("To 3.40 V a cell")
        before = rows.first.locator("td").first.inner_text()
        grip = page.locator(".cutoff-line .grip").bounding_box()
        page.mouse.move(grip["x"] + 200, grip["y"] + grip["height"] / 2)
        page.mouse.down()
        page.mouse.move(grip["x"] + 200, grip["y"] - 60, steps=5)
        page.mouse.up()
        expect(page.locator(".to-cutoff thead")).not_to_contain_text("3.40 V")
        assert float(page.locator("#cutoff").input_value()) > 3.5
        expect(rows.first.locator("td").first).not_to_have_text(before)
        page.get_by_text("time", exact=True).click()
        expect(page.locator(".discharge-chart")).to_contain_text("min")
        drawer.get_by_role("link", name="What they say together").click()
        expect(page.get_by_text("Capacity, full to empty")).to_be_visible()
        page.get_by_role("button", name="Fly its sheets on this curve").click()
        expect(page.get_by_text("Clementine 1 is flown on its own curve.").first).to_be_visible()
        page.get_by_role("link", name="The pack").click()
        expect(page.locator("main")).to_contain_text(re.compile("from its discharge runs|measured"))
        page.go_back()
        page.get_by_role("button", name="Back to the usual curve").click()
        expect(page.get_by_text("flown on its chemistry’s curve again")).to_be_visible()
