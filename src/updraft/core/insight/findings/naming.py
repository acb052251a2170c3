"""What the name of a column says of its values."""

from __future__ import annotations

import re

_CODES = frozenset(
    [
        "id",
        "ids",
        "identifier",
        "ident",
        "code",
        "codes",
        "key",
        "no",
        "nr",
        "num",
        "number",
        "ref",
        "reference",
        "zip",
        "zipcode",
        "postcode",
        "postal",
        "plz",
        "fips",
        "sic",
        "naics",
        "isbn",
        "ean",
        "gtin",
        "sku",
        "phone",
        "tel",
        "telephone",
        "fax",
        "mobile",
        "account",
        "iban",
        "serial",
        "index",
        "idx",
        "case",
        "obs",
        "row",
        "rowname",
        "rownames",
        "caseid",
        "uid",
        "uuid",
        "guid",
        "pk",
        "batch",
        "lot",
        "county",
        "district",
        "region",
        "state",
        "country",
        "group",
        "cluster",
        "block",
        "cohort",
        "site",
    ]
)
_KEYS = frozenset(
    [
        "id",
        "ids",
        "identifier",
        "ident",
        "code",
        "key",
        "no",
        "nr",
        "number",
        "ref",
        "reference",
        "isbn",
        "ean",
        "gtin",
        "sku",
        "account",
        "iban",
        "serial",
        "uid",
        "uuid",
        "guid",
        "pk",
        "caseid",
        "batch",
        "lot",
        "order",
        "invoice",
        "ticket",
    ]
)
_RANKS = frozenset(["rank", "ranking", "place", "position", "score", "age", "points"])
_YEARS = frozenset(["year", "years", "yr", "jahr", "annee", "fiscal"])
_NEVER_ZERO = frozenset(
    [
        "price",
        "weight",
        "height",
        "length",
        "width",
        "area",
        "mass",
        "grams",
        "kg",
        "size",
        "volume",
        "depth",
        "diameter",
        "wage",
        "salary",
        "population",
        "cost",
        "gram",
        "quantity",
        "density",
    ]
)
_BELOW_ZERO = frozenset(
    [
        "elevation",
        "altitude",
        "depth",
        "balance",
        "change",
        "diff",
        "difference",
        "delta",
        "growth",
        "temp",
        "temperature",
        "lat",
        "latitude",
        "lon",
        "lng",
        "long",
        "longitude",
        "profit",
        "margin",
        "return",
        "returns",
        "net",
        "rate",
        "gain",
        "loss",
        "score",
        "residual",
        "resid",
        "error",
        "x",
        "y",
        "z",
        "deviation",
        "flow",
        "effect",
        "coef",
        "coefficient",
        "log",
        "trend",
        "anomaly",
        "index",
        "spread",
    ]
)
# Word of a name → the lowest and the highest value that can be.
_BOUNDS: dict[str, tuple[float, float]] = {
    "latitude": (-90, 90), "lat": (-90, 90), "longitude": (-180, 180), "lon": (-180, 180), "lng": (-180, 180),
    "age": (0, 125), "month": (1, 12), "hour": (0, 24), "minute": (0, 60), "weekday": (0, 7), "probability": (0, 1),
    "percent": (0, 100), "percentage": (0, 100), "pct": (0, 100), "ph": (0, 14), "humidity": (0, 100), "quarter": (1, 4),
}  # fmt: skip


def words_of(name: str) -> list[str]:
    """The words of a name in small letters; capitals within it begin a word."""
    spaced = re.sub(r"(?<=[a-z])(?=[A-Z])", " ", name)
    return re.findall(r"[^\W\d_]+|%", spaced.lower())


def names_a_code(name: str) -> bool:
    """Whether numbers under this name are names of something, not amounts."""
    if _counts_things(name):
        return False
    return bool(_CODES & set(words_of(name))) or bool(re.search(r"[a-z](ID|Id|Nr|No)$", name))


def names_a_key(name: str) -> bool:
    """Whether the name says that each row has a value of its own."""
    if _counts_things(name) or ranks(name):
        return False
    return bool(_KEYS & set(words_of(name))) or bool(re.search(r"[a-z](ID|Id|Nr|No)$", name))


def _counts_things(name: str) -> bool:
    return bool(re.search(r"(?i)\b(number|numbers|no|nr)\.?[\s_]+of\b", name))


def ranks(name: str) -> bool:
    """Whether the name says that values are places in an order, where two may share one."""
    return bool(_RANKS & set(words_of(name))) or names_a_year(name)


def names_a_year(name: str) -> bool:
    return bool(_YEARS & set(words_of(name)))


def names_a_total(name: str) -> bool:
    return bool({"total", "totals", "sum", "all", "overall", "gross", "altogether"} & set(words_of(name)))


def never_zero(name: str) -> bool:
    return bool(_NEVER_ZERO & set(words_of(name)))


def may_be_negative(name: str) -> bool:
    return bool(_BELOW_ZERO & set(words_of(name)))


def bounds_of(name: str) -> tuple[float, float] | None:
    """The lowest and highest value possible under this name, where it says so."""
    words = words_of(name)
    if "%" in words and not _BELOW_ZERO & set(words):
        return 0, 100
    if _BELOW_ZERO & set(words) - {"lat", "lon", "lng", "latitude", "longitude"} or len(words) > 3:
        return None
    return next((_BOUNDS[word] for word in words if word in _BOUNDS), None)
