"""What an operator sees: one log, a line an event, plain or as JSON, with nothing personal in it."""

from __future__ import annotations

import json
import logging
import sys
import threading
from datetime import UTC, datetime

LOG = logging.getLogger("zesty_cell")
LEVELS = ("debug", "info", "warning", "error")


def tell(event: str, /, *, level: int = logging.INFO, error: BaseException | None = None, **fields: object) -> None:
    """Log an event with its fields; names of things and people do not belong here."""
    LOG.log(level, event, extra={"fields": fields}, exc_info=error)


def _fields(record: logging.LogRecord) -> dict[str, object]:
    found = getattr(record, "fields", {})
    return found if isinstance(found, dict) else {}


class PlainLines(logging.Formatter):
    """Time, level, event, and its fields as name=value."""

    def format(self, record: logging.LogRecord) -> str:
        """One event; a trace follows where there is one."""
        at = datetime.fromtimestamp(record.created, UTC).isoformat(timespec="seconds")
        told = " ".join(f"{name}={value}" for name, value in _fields(record).items())
        line = f"{at} {record.levelname.lower():7} {record.getMessage()}" + (f" {told}" if told else "")
        return f"{line}\n{self.formatException(record.exc_info)}" if record.exc_info else line


class JsonLines(logging.Formatter):
    """The same as one JSON object a line."""

    def format(self, record: logging.LogRecord) -> str:
        """One event, its trace as a text."""
        told: dict[str, object] = {
            "at": datetime.fromtimestamp(record.created, UTC).isoformat(timespec="milliseconds"),
            "level": record.levelname.lower(),
            "event": record.getMessage(),
        }
        told |= _fields(record)
        if record.exc_info:
            told["trace"] = self.formatException(record.exc_info)
        return json.dumps(told, ensure_ascii=False, default=str)


class FewOfAKind(logging.Filter):
    """Lets so many lines of a kind through in a while, and says how many more there were: no log fills a disk."""

    def __init__(self, *, most: int = 20, within_s: float = 10.0) -> None:
        super().__init__()
        self._most, self._within_s = most, within_s
        self._lock = threading.Lock()
        self._seen: dict[str, list[float]] = {}

    def filter(self, record: logging.LogRecord) -> bool:
        """Whether a line is written."""
        kind = f"{record.name} {record.msg}"[:200]
        with self._lock:
            if len(self._seen) > 200:
                self._seen.clear()
            began, count = self._seen.get(kind, (record.created, 0.0))
            if record.created - began > self._within_s:
                left_out, began, count = count - self._most, record.created, 0.0
                if left_out > 0:
                    record.fields = _fields(record) | {"left_out_before": int(left_out)}
            self._seen[kind] = [began, count + 1]
            return count < self._most


def set_up_logging(*, level: str = "info", as_json: bool = False) -> None:
    """Send the application's events, and warnings of its server, to standard error; once a process."""
    handler = logging.StreamHandler(sys.stderr)
    handler.addFilter(FewOfAKind())
    handler.setFormatter(JsonLines() if as_json else PlainLines())
    for name, least in (("zesty_cell", level.upper()), ("uvicorn", "WARNING"), ("asyncio", "WARNING")):
        logger = logging.getLogger(name)
        logger.handlers[:] = [handler]
        logger.setLevel(least)
        logger.propagate = False
