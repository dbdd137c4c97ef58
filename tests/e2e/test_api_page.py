"""The page to read and try the API: from this server alone, and a call from it is answered."""

from __future__ import annotations

import pytest
from playwright.sync_api import expect

pytestmark = pytest.mark.e2e


def test_a_call_tried_on_the_page_is_answered_and_nothing_comes_from_elsewhere(page, club):
    asked = []
    page.on("request", lambda request: asked.append(request.url))
    page.goto(f"{club}/api/docs")
    call = page.locator("#operations-sheets-get_sheet_api_sheets__sheet_id__get")
    call.locator(".opblock-summary-control").click()
    call.get_by_role("button", name="Try it out").click()
    call.get_by_placeholder("sheet_id").fill("8")
    call.get_by_role("button", name="Execute").click()
    expect(call.locator(".live-responses-table .response-col_status").last).to_contain_text("200")
    expect(call.locator(".live-responses-table")).to_contain_text("lighthouse run")
    work_out = page.locator("#operations-sheets-forecast_of_api_forecast_post")
    work_out.locator(".opblock-summary-control").click()
    work_out.get_by_role("button", name="Try it out").click()
    work_out.get_by_role("button", name="Execute").click()
    # The example is a whole sheet: what stands there is worked out.
    expect(work_out.locator(".live-responses-table")).to_contain_text("landing_s")
    assert [url for url in asked if not url.startswith((club, "data:"))] == []
