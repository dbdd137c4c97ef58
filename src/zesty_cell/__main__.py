"""`python -m zesty_cell` is `zesty-cell`."""

from zesty_cell.cli import main

raise SystemExit(main())
