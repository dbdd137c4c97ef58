"""Posted forms as plain texts."""

from __future__ import annotations

from collections.abc import AsyncIterator
from typing import Annotated

from fastapi import Depends, Request

from zesty_cell.web.http.forms import Typed

#: A callout plan of 32 rules with four conditions each is the largest form there is.
_MOST_FIELDS = 1500


async def form_of(request: Request) -> AsyncIterator[Typed]:
    """The posted form as plain texts; the last value counts where a name comes twice."""
    # Closed at the end: a file that nobody asked for would be held on to.
    async with request.form(max_files=1, max_fields=_MOST_FIELDS) as form:
        typed = Typed((key, value) for key, value in form.items() if isinstance(value, str))
        request.state.typed = typed  # whatever goes wrong with it, it is shown again
        yield typed


PostedForm = Annotated[dict[str, str], Depends(form_of)]
