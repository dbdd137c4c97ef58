"""What can go wrong with stored things, named for the situation."""

from __future__ import annotations

from sqlalchemy.exc import DontWrapMixin

from zesty_cell.core.errors import ZestyCellError


class MissingRecordError(ZestyCellError, LookupError):
    """There is no such record, or it was deleted."""

    def __init__(self, what: str, record_id: int) -> None:
        super().__init__(f"There is no {what} with the number {record_id}. It may have been deleted.")
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
        self.why = "There is nothing with such a number: it is larger than any we hold."


class EditConflictError(ZestyCellError, RuntimeError):
    """The record was saved by someone else (another tab) since it was read."""

    def __init__(self, what: str, name: str) -> None:
        super().__init__(
            f"“{name}” was saved from another tab or device since you opened it. Nothing of yours was stored: "
            f"save it as a copy, or reload the {what} and change it again."
        )
        self.what = what


class InUseError(ZestyCellError, RuntimeError):
    """A record cannot be deleted while others need it."""

    def __init__(self, what: str, name: str, users: list[str], *, users_are: str = "sheets") -> None:
        shown = ", ".join(f"“{u}”" for u in users[:5]) + (" and others" if len(users) > 5 else "")
        super().__init__(
            f"{what.capitalize()} “{name}” is used by {shown}. Delete or change those {users_are} first."
        )
        self.users = users
