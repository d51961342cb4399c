"""Lets `python -m dubbin` do what the command does."""

from dubbin.cli.main import main

raise SystemExit(main())
