from typing import Literal

from updraft.core.connect import WebService
from updraft.core.steps.base import StepKind
from updraft.core.steps.choice import Order, listed
from updraft.core.steps.conditions import Rule
from updraft.core.steps.given import Context, Result
from updraft.core.steps.settings import Settings, setting
from updraft.core.steps.tables import Tables


class ReadODataSettings(Settings):
    connection: str = setting("Connection", widget="connection", default="", of="web")
    entity: str = setting("Entity set", widget="entity", default="")
    columns: tuple[str, ...] = setting(
        "Fields", "none chosen reads all", widget="outside_columns", default=()
    )
    rule: Rule = setting(
        "Only entities where", "the service does the choosing", widget="rule", default=Rule(), optional=True
    )
    order: tuple[Order, ...] = setting("In the order of", widget="order", default=())
    limit: int | None = setting("At most", "entities", widget="number", default=None, minimum=1, open="all")
    names: Literal["name", "label"] = setting(
        "Columns are called by",
        widget="choice",
        default="name",
        labels={"name": "field name", "label": "label"},
    )
    split: Literal["none", "field", "size"] = setting(
        "Split the request",
        "put together again",
        widget="choice",
        default="none",
        labels={"none": "no", "field": "by a field", "size": "by size"},
    )
    split_field: str = setting(
        "Field", "one request for each of its values", widget="column", default="", when={"split": ["field"]}
    )
    split_size: int = setting(
        "Entities a request", widget="number", default=1000, minimum=1, when={"split": ["size"]}
    )


class ReadOData(StepKind):
    """Read an entity set of an OData v4 service. Fields, conditions, order and limit are worked out by the
    service.
    """

    kind = "read_odata"
    title = "Read OData"
    summary = "Bring in an entity set of an OData service"
    words = ("odata", "api", "entity", "feed", "web service", "erp", "source", "metadata")
    icon = "collection"
    way_in = (7, "OData")
    inputs = ()
    needs = frozenset({"outside"})
    Settings = ReadODataSettings
    previews = "limit"

    def apply(self, tables: Tables, settings: ReadODataSettings, context: Context) -> Result:
        connection = context.outside.connection(settings.connection, WebService)
        from updraft.core.steps.odata_query import fetched

        frame = fetched(connection, settings, context)
        warnings = (
            ("The order holds within each part only, since the request is split by a field.",)
            if (settings.split == "field" and settings.order)
            else ()
        )
        return Result(frame.lazy(), warnings=warnings)

    def sentence(self, settings: ReadODataSettings) -> str:
        parts = [settings.connection or "no connection yet", settings.entity or "no entity set yet"]
        if settings.columns:
            parts.append(listed(settings.columns))
        if settings.rule.of:
            parts.append(f"where {settings.rule.words()}")
        return " · ".join(parts)
