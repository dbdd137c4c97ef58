"""A bounded fuzz of the API against its own OpenAPI description."""

from __future__ import annotations

import shutil

import pytest
import schemathesis
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from schemathesis import GenerationMode
from schemathesis.checks import not_a_server_error
from schemathesis.specs.openapi.checks import (
    content_type_conformance,
    negative_data_rejection,
    response_schema_conformance,
    status_code_conformance,
)

from zesty_cell.guard import LOOPBACK_HOSTS
from zesty_cell.web.app import connect, create_app

CHECKS = [
    not_a_server_error,
    status_code_conformance,
    content_type_conformance,
    response_schema_conformance,
    negative_data_rejection,
]


class FromHere:
    """The application as this machine itself asks it."""

    def __init__(self, app):
        self.app = app

    async def __call__(self, scope, receive, send):
        await self.app({**scope, "client": ("127.0.0.1", 50_000)}, receive, send)


@pytest.fixture(scope="module")
def described(tmp_path_factory):
    """The application, to a client that calls it "testserver", and the description that it gives, made once."""
    app = create_app(tmp_path_factory.mktemp("fuzzed") / "never-used.sqlite", hosts=LOOPBACK_HOSTS | {"testserver"})
    schema = schemathesis.openapi.from_asgi("/api/openapi.json", FromHere(app))
    app.state.database.close()
    return app, {op.label: op for op in (result.ok() for result in schema.get_all_operations())}


@pytest.fixture
def operations(described, club_file, tmp_path):
    """Its operations, over a copy of the club."""
    app, found = described
    path = tmp_path / "fuzzed.sqlite"
    shutil.copy(club_file, path)
    connect(app, path)
    yield found
    app.state.database.close()


OPERATIONS = [
    "POST /api/forecast",
    "GET /api/schema/sheet",
    "GET /api/sheets",
    "POST /api/sheets",
    "GET /api/sheets/{sheet_id}",
    "PUT /api/sheets/{sheet_id}",
    "DELETE /api/sheets/{sheet_id}",
    "POST /api/sheets/{sheet_id}/undelete",
    "GET /api/sheets/{sheet_id}/forecast",
    "GET /api/sheets/{sheet_id}/plan",
    "PUT /api/sheets/{sheet_id}/plan",
    "DELETE /api/sheets/{sheet_id}/plan",
    "POST /api/plans/{plan_id}/undelete",
    "GET /api/patterns",
    "POST /api/patterns",
    "GET /api/patterns/{pattern_id}",
    "PUT /api/patterns/{pattern_id}",
    "DELETE /api/patterns/{pattern_id}",
    "POST /api/patterns/{pattern_id}/undelete",
    "GET /api/crafts",
    "POST /api/crafts",
    "GET /api/crafts/{craft_id}",
    "PUT /api/crafts/{craft_id}",
    "DELETE /api/crafts/{craft_id}",
    "POST /api/crafts/{craft_id}/undelete",
    "GET /api/cells",
    "POST /api/cells",
    "GET /api/cells/{cell_id}",
    "PUT /api/cells/{cell_id}",
    "DELETE /api/cells/{cell_id}",
    "POST /api/cells/{cell_id}/undelete",
    "GET /api/packs",
    "POST /api/packs",
    "GET /api/packs/{pack_id}",
    "PUT /api/packs/{pack_id}",
    "DELETE /api/packs/{pack_id}",
    "POST /api/packs/{pack_id}/undelete",
    "GET /api/flights/{flight_id}/logs",
    "POST /api/flights/{flight_id}/logs",
    "GET /api/logs/{log_id}",
    "DELETE /api/logs/{log_id}",
    "PUT /api/logs/{log_id}/columns",
    "GET /api/logs/{log_id}/data",
    "GET /api/logs/{log_id}/fit",
    "POST /api/logs/{log_id}/undelete",
    "GET /api/flights",
    "POST /api/flights",
    "GET /api/flights/{flight_id}",
    "PUT /api/flights/{flight_id}",
    "DELETE /api/flights/{flight_id}",
    "POST /api/flights/{flight_id}/charged",
    "POST /api/flights/{flight_id}/undelete",
    "POST /api/compare",
    "POST /api/search",
    "POST /api/sweep",
    "GET /api/calibrations",
    "POST /api/calibrations",
    "GET /api/calibrations/{calibration_id}",
    "DELETE /api/calibrations/{calibration_id}",
    "POST /api/calibrations/{calibration_id}/undelete",
    "GET /api/tests",
    "POST /api/tests",
    "GET /api/tests/{trial_id}",
    "PUT /api/tests/{trial_id}",
    "POST /api/tests/{trial_id}/look",
    "DELETE /api/tests/{trial_id}",
    "POST /api/tests/{trial_id}/undelete",
    "GET /api/off/table",
    "GET /api/off",
    "POST /api/off",
    "GET /api/off/{case_id}",
    "POST /api/off/{case_id}/answers",
    "POST /api/off/{case_id}/close",
    "DELETE /api/off/{case_id}",
    "POST /api/off/{case_id}/undelete",
]


def test_every_operation_is_fuzzed(operations):
    assert sorted(operations) == sorted(OPERATIONS)


@pytest.mark.fuzz
@pytest.mark.parametrize("label", OPERATIONS)
def test_the_api_keeps_its_word(operations, label):
    operation = operations[label]

    # A body has many ways to be wrong, a number few.
    many = 30 if label.startswith(("POST", "PUT")) and "undelete" not in label else 8

    @given(case=st.one_of(operation.as_strategy(generation_mode=mode) for mode in GenerationMode))
    @settings(max_examples=many, deadline=None, suppress_health_check=list(HealthCheck))
    def fuzz(case):
        # Long work on a busy machine is no fault of the answer: time is measured by the benchmarks.
        case.call_and_validate(checks=CHECKS, timeout=60)

    fuzz()
