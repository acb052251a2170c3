from updraft.core.steps.rows.choosing import RowFilter


class DropRows(RowFilter):
    """Leave out the rows that meet the conditions or stand at the chosen places."""

    kind = "drop_rows"
    title = "Drop rows"
    summary = "Leave out rows that meet conditions, or by position"
    words = ("filter", "exclude", "remove rows", "delete rows", "where", "totals row", "footer", "skip")
    icon = "eraser"
    keep = False
