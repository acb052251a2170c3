"""The garden web shop: a season of sales as paged JSON behind a token, with a rate limit and a bad moment
now and then.
"""

from __future__ import annotations

import random
import time
from collections import deque
from datetime import date, timedelta
from itertools import count
from typing import Any

from flask import Flask, Response, jsonify, request

from updraft.demo.names import GARDENS, VARIETIES

TOKEN = "packets-and-pots"
SALES = 640
PER_MINUTE = 240
BUSY_EVERY = 9  # this many requests, one is answered with 503


def make_shop(busy_every: int = BUSY_EVERY, per_minute: int = PER_MINUTE) -> Flask:
    """The shop's web service. Paths: /api/sales (by page), /api/stock (by cursor; a PUT to one of its
    varieties is kept and listed at /api/stock/told), /api/gardens (by Link header), /api/prices.csv (by
    offset)."""
    app = Flask(__name__)
    app.json.sort_keys = False  # type: ignore[attr-defined]
    asked, recent = count(1), deque[float]()
    told: dict[str, Any] = {}
    sales = make_sales()

    @app.before_request
    def manners() -> Any:
        if request.headers.get("Authorization") != f"Bearer {TOKEN}":
            return jsonify(error="This needs a token."), 401
        now = time.monotonic()
        while recent and recent[0] < now - 60:
            recent.popleft()
        if len(recent) >= per_minute:
            return jsonify(error="Too many requests."), 429, {"Retry-After": "1"}
        recent.append(now)
        if busy_every and next(asked) % busy_every == 0:
            return jsonify(error="Watering the seedlings, back in a moment."), 503, {"Retry-After": "0.2"}
        return None

    @app.get("/api/sales")
    def list_sales() -> Any:
        since = request.args.get("since", "")
        fits = [sale for sale in sales if sale["sold_on"] >= since]
        page, size = request.args.get("page", 1, int), min(request.args.get("per_page", 50, int), 100)
        part = fits[(page - 1) * size : page * size]
        return jsonify(page=page, pages=-(-len(fits) // size), total=len(fits), sales=part)

    @app.get("/api/stock")
    def list_stock() -> Any:
        start = int(request.args.get("after") or 0)
        part = [
            {"variety": name, "packets": 20 + 7 * n % 90, "bay": f"{'ABC'[n % 3]}{n:02d}"}
            for n, name in enumerate(VARIETIES)
        ][start : start + 10]
        more = start + 10 < len(VARIETIES)
        return jsonify(items=part, meta={"next": str(start + 10) if more else None})

    @app.put("/api/stock/<variety>")
    def tell_stock(variety: str) -> Any:
        if variety not in VARIETIES:
            return jsonify(error=f"The shop does not sell “{variety}”."), 404
        told[variety] = request.get_json()
        return jsonify(ok=True)

    @app.get("/api/stock/told")
    def list_told() -> Any:
        return jsonify(told)

    @app.get("/api/gardens")
    def list_gardens() -> Any:
        page = request.args.get("page", 1, int)
        part = [{"garden": name, "member_since": 1990 + n} for n, name in enumerate(GARDENS)][
            (page - 1) * 6 : page * 6
        ]
        answer = jsonify(part)
        if page * 6 < len(GARDENS):
            answer.headers["Link"] = f'<{request.base_url}?page={page + 1}>; rel="next"'
        return answer

    @app.get("/api/prices.csv")
    def prices() -> Response:
        start, size = request.args.get("offset", 0, int), request.args.get("limit", 100, int)
        rows = [
            f"{name};{(190 + 5 * n) // 100},{(190 + 5 * n) % 100:02d}" for n, name in enumerate(VARIETIES)
        ]
        return Response("Variety;Price\n" + "\n".join(rows[start : start + size]) + "\n", mimetype="text/csv")

    return app


def make_sales() -> list[dict[str, Any]]:
    """The season's sales, the same every time."""
    pick = random.Random("garden shop")
    found = []
    for number in range(SALES):
        day = date(2026, 2, 1) + timedelta(days=number * 89 // SALES)
        lines = [
            {
                "variety": pick.choice(VARIETIES),
                "packets": pick.randint(1, 6),
                "price": pick.choice([1.9, 2.2, 2.4, 2.75]),
            }
            for _ in range(pick.choices([1, 2, 3], weights=[6, 3, 1])[0])
        ]
        found.append(
            {
                "sale": f"WS-{4000 + number}",
                "sold_on": f"{day}",
                "garden": {"name": pick.choice(GARDENS)},
                "lines": lines,
                "paid": pick.random() > 0.03,
            }
        )
    return found
