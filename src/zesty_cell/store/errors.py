"""What can go wrong with stored things, named for the situation."""

from __future__ import annotations

from sqlalchemy.exc import DontWrapMixin

from zesty_cell.core.errors import ZestyCellError
from zesty_cell.core.fact import fact
from zesty_cell.words import say  # noqa: F401 - whoever catches these can say them

#: Of those who need a record, so many are named.
_NAMED = 5


class MissingRecordError(ZestyCellError, LookupError):
    """There is no such record, or it was deleted."""

    def __init__(self, what: str, record_id: int) -> None:
        super().__init__(fact("stored.missing", what=what, number=record_id))
        self.what = what
        self.record_id = record_id


class UnreadableError(ZestyCellError, ValueError):
    """Something stored cannot be read; its cause says where and why."""


class UnstorableError(ZestyCellError, ValueError):
    """Something was to be stored that could not be read back."""


class NoSuchNumberError(MissingRecordError, DontWrapMixin):
    """A number larger than any that a database holds."""

    def __init__(self) -> None:
        super().__init__("record", -1)
        self.why = fact("stored.no_such_number")


class EditConflictError(ZestyCellError, RuntimeError):
    """The record was saved by someone else (another tab) since it was read."""

    def __init__(self, what: str, name: str) -> None:
        super().__init__(fact("stored.saved_elsewhere", what=what, name=name))
        self.what = what


class InUseError(ZestyCellError, RuntimeError):
    """A record cannot be deleted while others need it."""

    def __init__(self, what: str, name: str, users: list[str], *, users_are: str = "sheets") -> None:
        shown = ", ".join(f"“{u}”" for u in users[:_NAMED])
        key = "stored.in_use.many" if len(users) > _NAMED else "stored.in_use"
        super().__init__(fact(key, what=what.capitalize(), name=name, users=shown, users_are=users_are))
        self.users = users
