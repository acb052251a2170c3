from updraft.core.steps.rows.choosing import RowFilter


class KeepRows(RowFilter):
    """Keep only the rows that meet the conditions or stand at the chosen places."""

    kind = "keep_rows"
    title = "Keep rows"
    summary = "Keep only rows that meet conditions, or by position"
    words = ("filter", "include", "where", "select rows", "subset", "top", "head", "sample", "only")
    icon = "check2-square"
    keep = True
