"""Logging: one line a request and a piece of work, on standard error."""

import logging
import os
import sys

import structlog

LEVEL_KEY = "UMWEG_LOG"


def set_up_logs() -> None:
    """Readable lines in a terminal, JSON otherwise; ``UMWEG_LOG=warning`` says less."""
    name = os.environ.get(LEVEL_KEY, "info").upper()
    level = logging.getLevelNamesMapping().get(name, logging.INFO)
    shown = sys.stderr.isatty()
    structlog.configure(
        processors=[
            structlog.processors.add_log_level,
            structlog.processors.TimeStamper(fmt="iso", utc=True),
            structlog.processors.format_exc_info,
            structlog.dev.ConsoleRenderer() if shown else structlog.processors.JSONRenderer(),
        ],
        wrapper_class=structlog.make_filtering_bound_logger(level),
        # The stream of the process itself: a replaced one may be closed before the last line.
        logger_factory=structlog.PrintLoggerFactory(sys.__stderr__),
    )
