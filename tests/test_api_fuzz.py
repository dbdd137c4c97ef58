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

from zesty_cell.web.app import create_app
from zesty_cell.web.http.security import LOOPBACK_HOSTS

CHECKS = [
    not_a_server_error,
    status_code_conformance,
    content_type_conformance,
    response_schema_conformance,
    negative_data_rejection,
]


@pytest.fixture
def api_schema(club_file, tmp_path):
    """The description as the application gives it, to a client that calls it "testserver"."""
    path = tmp_path / "fuzzed.sqlite"
    shutil.copy(club_file, path)
    app = create_app(path, hosts=LOOPBACK_HOSTS | {"testserver"})
    yield schemathesis.openapi.from_asgi("/api/openapi.json", app)
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
]


def _operations(api_schema):
    return {op.label: op for op in (result.ok() for result in api_schema.get_all_operations())}


def test_every_operation_is_fuzzed(api_schema):
    assert sorted(_operations(api_schema)) == sorted(OPERATIONS)


@pytest.mark.fuzz
@pytest.mark.parametrize("label", OPERATIONS)
def test_the_api_keeps_its_word(api_schema, label):
    operation = _operations(api_schema)[label]

    @given(case=st.one_of(operation.as_strategy(generation_mode=mode) for mode in GenerationMode))
    @settings(max_examples=40, deadline=None, suppress_health_check=list(HealthCheck))
    def fuzz(case):
        case.call_and_validate(checks=CHECKS)

    fuzz()
