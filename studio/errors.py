"""How the API says what went wrong: short JSON with what, where and what to do.

Every error becomes such an answer, whoever found it: a view, the framework, the database or the
disk. What is unexpected is logged with its trace, and answered without it.
"""

from __future__ import annotations

import errno
import json
import logging
import sqlite3
from collections.abc import Callable
from typing import Any
from urllib.parse import quote

from django.core.exceptions import (
    ObjectDoesNotExist,
    RequestDataTooBig,
    SuspiciousOperation,
)
from django.db import DatabaseError
from django.http import Http404, HttpRequest, HttpResponse, JsonResponse
from django.http.multipartparser import MultiPartParserError
from ninja.errors import HttpError, ValidationError

logger = logging.getLogger("studio.api")

LONGEST_TEXT = 1_200
MOST_PROBLEMS = 5
GONE = "This is no longer there; it may have been deleted elsewhere. Reload the page."
FULL = "The disk is full. Make room, then try again; nothing that was saved is lost."
BUSY = "The database is busy. Try again in a moment; nothing was changed."
UNEXPECTED = (
    "Something went wrong in the server that should not. Nothing that was saved is lost; try "
    "again, and look into the log if it stays."
)
BY_STATUS = {
    400: "The request makes no sense to the server. Reload the page and try again.",
    403: "The request did not come from Caligo's own page. Reload the page and try again.",
    404: "There is nothing at this address.",
    405: "This address does not answer to such a request.",
    413: "This is too large to be imported.",
    500: UNEXPECTED,
}


def shortened(text: str, most: int = LONGEST_TEXT) -> str:
    """A text of at most about `most` characters."""
    return text if len(text) <= most else f"{text[:most]}… ({len(text) - most} more characters)"


def error_response(status: int, text: str, **more: Any) -> HttpResponse:
    """An error as the page understands it."""
    return JsonResponse({"text": shortened(text), "problems": [], **more}, status=status)


def is_full(error: BaseException) -> bool:
    """Whether an error comes from a disk, or a fraction of it, that is full."""
    if isinstance(error, OSError):
        return error.errno in (errno.ENOSPC, errno.EDQUOT)
    return isinstance(error, DatabaseError | sqlite3.Error) and "full" in str(error)


def is_busy(error: BaseException) -> bool:
    """Whether a database stayed locked."""
    return isinstance(error, DatabaseError | sqlite3.Error) and "locked" in str(error)


def of_validation(error: ValidationError) -> HttpResponse:
    """What of a request does not fit its schema, without repeating what was sent."""
    found = [
        f"{'.'.join(str(step) for step in one['loc'])[:80]}: {str(one['msg'])[:160]}"
        for one in error.errors[:MOST_PROBLEMS]
    ]
    more = len(error.errors) - len(found)
    text = "; ".join(found) + (f"; and {more} more" if more > 0 else "")
    return error_response(422, text or "The request does not fit.")


def of(error: Exception, request: HttpRequest) -> HttpResponse:
    """The answer to any error that no view has dealt with."""
    match error:
        case ObjectDoesNotExist() | OverflowError():
            # A number beyond what the database holds is nobody's id.
            return error_response(404, GONE)
        case Http404():
            return error_response(404, BY_STATUS[404])
        case ValidationError():
            return of_validation(error)
        case HttpError():
            return error_response(error.status_code, str(error))
        case RequestDataTooBig():
            return error_response(413, BY_STATUS[413])
        case SuspiciousOperation() | MultiPartParserError() | UnicodeDecodeError():
            return error_response(400, BY_STATUS[400])
        case RecursionError():
            return error_response(422, "It is nested too deep to be read.")
    if is_full(error):
        logger.error("%s %s: the disk is full", *_called(request))
        return error_response(507, FULL)
    if is_busy(error):
        logger.error("%s %s: the database stayed locked", *_called(request))
        return error_response(503, BUSY)
    logger.error("%s %s: %.300r", *_called(request), error, exc_info=error)
    return error_response(500, UNEXPECTED)


def _called(request: HttpRequest) -> tuple[str, str]:
    """Method and address for the log, which a request must not fill or break into lines."""
    return str(request.method), quote(request.path[:120])


def is_api(request: HttpRequest) -> bool:
    """Whether a request goes to the API."""
    return request.path == "/api" or request.path.startswith("/api/")


class PlainErrors:
    """Turns whatever the framework itself answers under ``/api`` into the page's kind of error."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self._get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        """Answer, in JSON that is short where it is an error."""
        response = self._get_response(request)
        if response.status_code >= 400:
            logger.info("%s %s: %s", *_called(request), response.status_code)
            if is_api(request) and not _is_said(response):
                status = response.status_code
                return error_response(status, BY_STATUS.get(status, BY_STATUS[400]))
        return response

    def process_exception(self, request: HttpRequest, error: Exception) -> HttpResponse | None:
        """What went wrong ahead of the API's own handlers, such as in reading an upload."""
        return of(error, request) if is_api(request) else None


def _is_said(response: HttpResponse) -> bool:
    if response.streaming or response.headers.get("Content-Type", "").split(";")[0] != (
        "application/json"
    ):
        return False
    try:
        body = json.loads(response.content)
    except ValueError:
        return False
    return isinstance(body, dict) and "text" in body
