"""The one door for what a request brings: checked against a model, or refused with a Problem."""

from __future__ import annotations

import json
from typing import Annotated, Any, TypeVar

from flask import request
from pydantic import BaseModel, BeforeValidator, ConfigDict, Field, ValidationError

from updraft.core import Problem
from updraft.core.insight import Focus

MOST = 2**31 - 1  # the largest whole number that counts or numbers anything here


def _as_text(value: Any) -> Any:
    """Nothing is an empty text, and a number may stand for its digits; lists and records are refused."""
    if value is None:
        return ""
    return str(value) if isinstance(value, int | float) and not isinstance(value, bool) else value


Text = Annotated[str, BeforeValidator(_as_text)]
Whole = Annotated[int, Field(ge=0, le=MOST)]


class Asked(BaseModel):
    """What a request may bring. Fields that are not known are left out."""

    model_config = ConfigDict(extra="ignore", frozen=True)


class Listed(Asked):
    """A window of a list that is searched and sorted."""

    search: str = ""
    order: str = "count"
    offset: Whole = 0
    most: Whole = 200


M = TypeVar("M", bound=Asked)


def body_of(model: type[M]) -> M:
    """The JSON body of the request.

    Raises:
        Problem: it is no JSON object, holds signs that no text can hold, or does not fit.
    """
    found = request.get_json(silent=True)
    if not isinstance(found, dict):
        raise Problem(
            "The request", "it is not a JSON object.", "Reload the page, then try again.", code="bad_request"
        )
    try:
        json.dumps(found, ensure_ascii=False).encode()
    except UnicodeEncodeError:
        raise Problem(
            "The request", "it holds half a sign.", "Type the text anew.", code="bad_request"
        ) from None
    return _checked(model, found)


def query_of(model: type[M]) -> M:
    """The query of the address; a field that holds several values takes all of them.

    Raises:
        Problem: it does not fit.
    """
    several = {name for name, field in model.model_fields.items() if "tuple" in str(field.annotation)}
    found = {
        name: request.args.getlist(name) if name in several else request.args[name] for name in request.args
    }
    return _checked(model, found)


def focus_of_query() -> Focus:
    """The focus that a request carries as JSON (`focus`), or none.

    Raises:
        Problem: it is no focus.
    """
    text = request.args.get("focus", "")
    try:
        return Focus.model_validate_json(text) if text else Focus()
    except ValidationError as error:
        raise Problem(
            "This selection", f"it does not fit ({error.errors()[0]['msg']}).", "Clear it and choose again."
        ) from None


def _checked(model: type[M], found: dict[str, Any]) -> M:
    try:
        return model.model_validate(found)
    except (ValidationError, RecursionError) as error:
        first = error.errors()[0] if isinstance(error, ValidationError) else {"msg": "too deep", "loc": ()}
        where = " of ".join(f"“{part}”" for part in reversed(first["loc"])) or "What was sent"
        raise Problem(
            f"{where} in the request",
            f"{first['msg'][:200]}.",
            "Reload the page, then try again.",
            code="bad_request",
        ) from None
