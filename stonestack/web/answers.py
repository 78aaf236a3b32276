"""Answers: models as JSON, and every error in the same shape."""

from __future__ import annotations

import logging
from collections.abc import Sequence

from flask import Flask, Response
from pydantic import BaseModel, TypeAdapter, ValidationError
from werkzeug.exceptions import HTTPException, RequestEntityTooLarge

from stonestack.core.runtime.errors import BadFile, Conflict, NotFound, NotWanted, StoneError
from stonestack.services.jobs import Problem, problem_of

log = logging.getLogger(__name__)
IMMUTABLE = "public, max-age=31536000, immutable"


def model(value: BaseModel, status: int = 200) -> Response:
    """Answer with one model."""
    return Response(value.model_dump_json(), status, mimetype="application/json")


def models(values: Sequence[BaseModel] | Sequence[str]) -> Response:
    """Answer with a list of models or words."""
    data = TypeAdapter(list).dump_json(list(values))
    return Response(data, mimetype="application/json")


def unchanging(data: bytes, mimetype: str) -> Response:
    """Answer with content that its address fixes for ever, so that every cache may keep it."""
    return Response(data, mimetype=mimetype, headers={"Cache-Control": IMMUTABLE})


def problem(code: str, message: str, fix: str, status: int) -> Response:
    """Answer with an error in words."""
    return model(Problem(code=code, message=message, fix=fix), status)


def status_of(error: StoneError) -> int:
    """Return the HTTP status that an error answers with."""
    if isinstance(error, NotFound):
        return 404
    if isinstance(error, Conflict):
        return 409
    if isinstance(error, NotWanted):
        return 410
    return 422 if isinstance(error, BadFile) else 400


def invalid(error: ValidationError) -> Response:
    """Answer to a request that does not fit its model."""
    first = error.errors()[0]
    place = " → ".join(str(part) for part in first["loc"])
    words = str(first["msg"]).removeprefix("Value error, ")
    return problem("does-not-fit", f"{place}: {words}", "Choose another value.", 422)


def register_errors(app: Flask) -> None:
    """Turn every error into an answer that says what and what to do."""

    @app.errorhandler(StoneError)
    def _stone(error: StoneError) -> Response:
        return problem(error.code, error.message, error.fix, status_of(error))

    @app.errorhandler(RequestEntityTooLarge)
    def _large(_error: RequestEntityTooLarge) -> Response:
        return problem("too-many-bytes", "The file is too large.", "Save it smaller.", 413)

    @app.errorhandler(ValidationError)
    def _invalid(error: ValidationError) -> Response:
        return invalid(error)

    @app.errorhandler(HTTPException)
    def _http(error: HTTPException) -> Response:
        return problem(
            f"http-{error.code}",
            error.description or "This request cannot be answered.",
            "Reload the page.",
            error.code or 500,
        )

    @app.errorhandler(RecursionError)
    @app.errorhandler(OverflowError)
    @app.errorhandler(UnicodeError)
    def _no_sense(error: Exception) -> Response:
        log.warning("A request made no sense: %s", error)
        return problem(
            "does-not-fit",
            "Something in this request is nested too deeply, too large, or no valid text.",
            "Choose another value.",
            400,
        )

    @app.errorhandler(Exception)
    def _other(error: Exception) -> Response:
        told = problem_of(error)
        status = {"our-fault": 500, "disk-full": 507, "busy": 409, "no-such-path": 400}
        return model(told, status.get(told.code, 503))
