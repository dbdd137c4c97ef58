"""What every page needs of a request: its database session, its form, its guard, its templates."""

from zesty_cell.web.http.database import Store, database_of
from zesty_cell.web.http.forms import FormState, whole_number
from zesty_cell.web.http.kept import kept_of
from zesty_cell.web.http.messages import NOT_STORED, said_to, say
from zesty_cell.web.http.posted import PostedForm
from zesty_cell.web.http.preferences import preferences_of
from zesty_cell.web.http.templating import page

__all__ = [
    "NOT_STORED", "FormState", "PostedForm", "Store", "database_of", "kept_of", "page", "preferences_of", "said_to",
    "say", "whole_number",
]  # fmt: skip
