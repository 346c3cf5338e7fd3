"""Schema changes that can be made again: a start that was cut off in the middle goes on where it was.

MariaDB makes each change of a schema whole or not at all, and several never together. So a migration that was cut off is run
again from its beginning, and a statement is passed by where the schema shows that it was made before. What the schema must be
in the end is checked against the models after it.
"""

from __future__ import annotations

import logging
from typing import Any

from alembic.ddl.mysql import MariaDBImpl
from sqlalchemy.exc import DBAPIError

# MariaDB's own numbers for: table exists, column exists, index exists, no such column or index to drop, no such table,
# column or index (it has its new name already), foreign key exists.
_MADE_BEFORE = frozenset({1050, 1060, 1061, 1091, 1146, 1054, 1176, 1826})
_CANNOT_CREATE, _DUPLICATE_KEY = 1005, "errno: 121"
_log = logging.getLogger(__name__)


class RepeatableMariaDB(MariaDBImpl):
    """Takes the place of Alembic's own by naming the same dialect."""

    __dialect__ = "mariadb"

    def _exec(self, construct: Any, *args: Any, **kwargs: Any) -> Any:
        try:
            return super()._exec(construct, *args, **kwargs)
        except DBAPIError as error:
            number, words = (*getattr(error.orig, "args", ()), 0, "")[:2]
            if number in _MADE_BEFORE or (number == _CANNOT_CREATE and _DUPLICATE_KEY in str(words)):
                _log.info("made before: %s", words)
                return None
            raise
