"""What is logged, and where: one line each, to the console and to a file that does not grow."""

from __future__ import annotations

import logging
from logging.handlers import RotatingFileHandler
from pathlib import Path
from typing import Any

LARGEST = 1 << 20
"""Bytes of a log file at most; the one before is kept beside it."""


class ForgivingFile(RotatingFileHandler):
    """A log file; where the disk is full, nothing is logged and nothing else is disturbed."""

    def handleError(self, record: logging.LogRecord) -> None:  # noqa: N802
        """See `logging.Handler.handleError`."""


def logging_to(directory: Path) -> dict[str, Any]:
    """The configuration for `logging.config.dictConfig`, with files in `directory`."""
    directory.mkdir(parents=True, exist_ok=True)
    return {
        "version": 1,
        "disable_existing_loggers": False,
        "formatters": {
            "line": {
                "format": "%(asctime)s %(levelname)s %(name)s: %(message)s",
                "datefmt": "%Y-%m-%d %H:%M:%S",
            }
        },
        "handlers": {
            "console": {"class": "logging.StreamHandler", "formatter": "line", "level": "WARNING"},
            "file": {
                "class": "studio.logs.ForgivingFile",
                "filename": directory / "studio.log",
                "maxBytes": LARGEST,
                "backupCount": 1,
                "delay": True,
                "formatter": "line",
            },
        },
        "loggers": {
            "studio": {"handlers": ["console", "file"], "level": "INFO", "propagate": False},
            "caligo": {"handlers": ["console", "file"], "level": "INFO", "propagate": False},
            # What the framework says of requests is said by `studio.errors` already.
            "django": {"handlers": ["file"], "level": "ERROR", "propagate": False},
            "django.request": {"handlers": [], "level": "CRITICAL", "propagate": False},
        },
    }
