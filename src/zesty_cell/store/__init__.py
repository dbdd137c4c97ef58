"""SQLite through SQLAlchemy: tables, migrations, one module of plain functions per thing stored."""
