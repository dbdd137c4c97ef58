"""Cases that the API's own description gives rise to, good ones and bad ones: none may end in trouble."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any

import schemathesis
from hypothesis import HealthCheck, Phase, given, seed, settings
from hypothesis import strategies as st
from schemathesis import GenerationMode
from schemathesis.checks import not_a_server_error
from schemathesis.core.failures import FailureGroup

from benchmarks.soak.house import house
from benchmarks.timing import Row


@dataclass
class Found:
    """What came of it."""

    asked: int = 0
    broken: list[str] = field(default_factory=list)
    unforeseen: int = 0


def run(*, number: int, many: int) -> Found:
    """So many cases from one seed, shared out over all operations."""
    found = Found()
    with house() as at:
        app = at.client.app
        schema: Any = schemathesis.openapi.from_dict(at.client.get("/api/openapi.json").json())
        operations = [result.ok() for result in schema.get_all_operations()]
        each = -(-many // len(operations))
        for operation in operations:
            modes = [operation.as_strategy(generation_mode=mode) for mode in GenerationMode]

            @seed(number)
            @given(case=st.one_of(*modes))
            @settings(
                max_examples=each, deadline=None, database=None, suppress_health_check=list(HealthCheck),
                phases=[Phase.generate],
            )  # fmt: skip
            def ask(case: Any) -> None:
                found.asked += 1
                case.call_and_validate(checks=[not_a_server_error], app=app, base_url="http://127.0.0.1")

            try:
                ask()
            except (FailureGroup, AssertionError) as error:
                found.broken.append(f"{operation.label}: {str(error)[:300]}")
        found.unforeseen = len(at.told.lines)
    return found


def cases(*, many: int = 1600, seeds: tuple[int, ...] = (1, 2)) -> list[Row]:
    """As a row of the report."""
    runs = [run(number=number, many=many) for number in seeds]
    broken, lines = sum(len(r.broken) for r in runs), sum(r.unforeseen for r in runs)
    return [
        Row(
            what=f"{sum(r.asked for r in runs)} cases by the API's own description",
            measured=f"{broken} operations with an answer of 500 and above, {lines} unforeseen lines in the log",
            asked="0 and 0",
            met=broken == 0 and lines == 0,
            inside="every operation, good cases and bad ones, from two seeds",
        )
    ]
