"""What people from spreadsheets and SQL type, and how it is said here: the way out of an unknown function."""

from __future__ import annotations

# Their word → a formula of ours that does it, over columns a, b (numbers), t, u (texts), d, e (days).
SAID_HERE: dict[str, str] = {
    "if": "a if b > 0 else 0",
    "iif": "a if b > 0 else 0",
    "ifs": 'choose(a > 9, "much", a > 0, "some", "none")',
    "switch": 'choose(t == "F", "Fen", t == "D", "Dale", "other")',
    "case": 'choose(t == "F", "Fen", t == "D", "Dale", "other")',
    "iferror": "if_empty(a / b, 0)",
    "ifna": "if_empty(a, 0)",
    "ifnull": "if_empty(a, 0)",
    "nvl": "if_empty(a, 0)",
    "isnull": "is_empty(t)",
    "coalesce": "if_empty(a, b)",
    "nullif": "empty_if(a, 0)",
    "and": "a > 0 and b > 0",
    "or": "a > 0 or b > 0",
    "not": "not a > 0",
    "left": "first(t, 3)",
    "right": "last(t, 3)",
    "mid": "middle(t, 2, 3)",
    "substr": "middle(t, 2, 3)",
    "substring": "middle(t, 2, 3)",
    "len": "length(t)",
    "concat": "t + u",
    "concatenate": "t + u",
    "textjoin": 'joined(", ", t, u)',
    "join": 'joined(", ", t, u)',
    "substitute": 'replace(t, "old", "new")',
    "find": 'position(t, "x")',
    "search": 'position(t, "x")',
    "instr": 'position(t, "x")',
    "proper": "title(t)",
    "initcap": "title(t)",
    "value": "number(t)",
    "numbervalue": "number(t)",
    "cast": "number(t)",
    "clean": "tidy(t)",
    "rept": "repeat(t, 3)",
    "lpad": "pad(t, 5, '0')",
    "exact": "t == u",
    "isblank": "is_empty(t)",
    "isnumber": "is_number(t)",
    "isdate": "is_date(t)",
    "max": "largest(a, b)",
    "min": "smallest(a, b)",
    "avg": "mean(a, b)",
    "sumif": 'total(a if t == "Fen" else 0)',
    "sumifs": 'total(a if t == "Fen" and b > 0 else 0)',
    "countif": 'total(1 if t == "Fen" else 0)',
    "countifs": 'total(1 if t == "Fen" and b > 0 else 0)',
    "averageif": "average(empty_if(a, 0))",
    "counta": "filled(t, u)",
    "cumsum": "running_total(a)",
    "stdev": "deviation(a)",
    "lag": "previous(a)",
    "lead": "following(a)",
    "roundup": "up(a)",
    "ceiling": "up(a)",
    "ceil": "up(a)",
    "rounddown": "down(a)",
    "floor": "down(a)",
    "mround": "round_to(a, 5)",
    "int": "whole(a)",
    "trunc": "cut_off(a)",
    "mod": "a % b",
    "power": "a ** 2",
    "sqrt": "root(a)",
    "datedif": "days_between(d, e)",
    "datediff": "days_between(d, e)",
    "dateadd": "add_days(d, 7)",
    "days": "days_between(d, e)",
    "edate": "add_months(d, 1)",
    "eomonth": "month_end(d)",
    "weeknum": "week(d)",
    "isoweeknum": "week(d)",
    "networkdays": "workdays_between(d, e)",
    "workday": "add_workdays(d, 5)",
    "datevalue": 'date(t, "DD.MM.YYYY")',
    "to_date": 'date(t, "DD.MM.YYYY")',
    "to_char": 'text(d, "YYYY-MM")',
    "format": 'text(d, "YYYY-MM")',
    "date_trunc": "month_start(d)",
    "regexextract": 'extract(t, "[0-9]+")',
    "regexreplace": 'replace_pattern(t, "[0-9]+", "")',
    "regexmatch": 'fits(t, "[0-9]+")',
}
# What no formula does, and the step that does it.
STEPS: dict[str, str] = {
    "vlookup": "Look up",
    "hlookup": "Look up",
    "xlookup": "Look up",
    "lookup": "Look up",
    "index": "Look up",
    "match": "Look up",
    "unique": "Remove duplicates",
    "sort": "Sort rows",
    "filter": "Keep rows",
    "transpose": "Transpose",
    "pivot": "Rows to columns",
    "subtotal": "Summarise",
    "rand": "Take rows, at random",
    "row": "Number rows",
}


def said_here(name: str) -> str:
    """How what somebody means by a function's name is said here, as a way out; empty where unknown."""
    low = name.lower()
    if low in SAID_HERE:
        return f"Write it such as {SAID_HERE[low]}."
    if low in STEPS:
        return f"That is a step of its own: {STEPS[low]}."
    return ""


def words_for(function: str) -> list[str]:
    """The words of others that lead to a function of ours."""
    return [word for word, formula in SAID_HERE.items() if f"{function}(" in formula]
