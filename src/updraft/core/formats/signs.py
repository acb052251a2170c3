"""The signs of delimited text: which one parts the cells, what encloses them, and lines split by them."""

from __future__ import annotations

import csv
import io
import re
from collections import Counter
from collections.abc import Iterable, Iterator
from typing import Any

from updraft.core.formats.header import LONGEST_NUMBER, Row
from updraft.core.formats.options import ReadOptions

DELIMITERS = {
    ",": "comma",
    ";": "semicolon",
    "\t": "tab",
    "|": "bar",
    ":": "colon",
    " ": "runs of blanks",
    "^": "caret",
    "~": "tilde",
}
_USUAL = ",;\t|"
_SELDOM = "^~"  # those that stand in hardly any text must split all lines alike
_LAST = "^~ :"  # where no usual one splits the lines: these stand in text, too
_SURE = 0.95  # of the lines, that a usual delimiter splits alike
_FIGURE = r"[-+]?(\d+\.?\d*|\.\d+)([eE][-+]?\d+)?|NA|NaN|nan|\."


def is_figure(text: str) -> bool:
    """Whether a text is a number as programs write it, or a sign that there is none."""
    return len(text) <= LONGEST_NUMBER and bool(re.fullmatch(_FIGURE, text))


def find_delimiter(
    lines: list[str], wanted: str | None, quote: str, escape: str, suffix: str = ""
) -> tuple[str, str, float]:
    """The delimiter that splits the most lines alike, why, and the share of lines it does so for.

    A tab goes before all others where the file's name says so and every line holds one.
    """
    if wanted:
        return wanted, "as set", 1.0
    best, best_score, why = ",", (0.0, 0), "no delimiter splits the lines"
    filled = [line for line in lines if line.strip()]
    for delimiter in _USUAL:
        rows = [row for row in split("\n".join(filled), delimiter, quote, escape) if row]
        if not _holds(rows):
            continue
        widths = Counter(map(len, rows))
        width, often = max(widths.items(), key=lambda pair: (pair[0] > 1, pair[1]), default=(1, 0))
        score = (often / max(sum(widths.values()), 1), width)
        if width > 1 and score > best_score:
            best, best_score = delimiter, score
            why = (
                f"{DELIMITERS[delimiter]}, because {often:,} of {sum(widths.values()):,} lines "
                f"split into {width}"
            )
    if suffix.lower() in (".tsv", ".tab") and best != "\t" and all("\t" in line for line in filled):
        return "\t", "tab, because the file's name says so and all lines hold one", 1.0
    mixed = best == "\t" and any("  " in line or " \t" in line for line in filled)
    if best_score[0] < _SURE or best_score[1] < 2 or mixed:
        for delimiter in " " if mixed else _LAST:
            rows = [row for row in split("\n".join(filled), delimiter, quote, escape) if row]
            if _is_table(rows, delimiter) and usual_width(rows) > (best_score[1] if mixed else 0):
                best, best_score = delimiter, (1.0, usual_width(rows))
                why = f"{DELIMITERS[delimiter]}, because nearly all lines split into {usual_width(rows)}"
                break
    if not best_score[1]:  # then one that no line holds, so that none is split
        best = next((sign for sign in ",\t|;" if not any(sign in line for line in filled)), best)
    return best, why, best_score[0]


def _holds(rows: list[Row]) -> bool:
    """Whether a delimiter holds for the lines: for a third of those from the first that it splits, where they
    are three or half of all. Titles stand above; a comma in one line of text makes no table of the others.
    """
    first = next((n for n, row in enumerate(rows) if len(row) > 1), None)
    if first is None:
        return False
    parted = sum(len(row) > 1 for row in rows)
    return parted * 3 >= len(rows) - first and (parted >= 3 or parted * 2 >= len(rows))


def _is_table(rows: list[Row], delimiter: str) -> bool:
    """Whether lines split at blanks or colons make a table: as good as all of one width, with columns of
    numbers.

    Words of names are told apart by that; so are times of day, which split into two or three numbers of two
    digits.
    """
    width = usual_width(rows)
    if delimiter in _SELDOM:
        return len(rows) > 2 and width > 1 and len({len(row) for row in rows}) == 1
    if len(rows) < (3 if width < 4 else 2) or width < 2:
        return False
    if delimiter == ":" and _is_coded(rows, width):
        return True
    if delimiter == ":" and width < 3:
        return False
    if sum(len(row) == width for row in rows) < 0.95 * len(rows):
        return False
    even = [row for row in rows[1:] if len(row) == width]
    columns = [[row[n] or "" for row in even] for n in range(width)]
    numeric = [sum(is_figure(c.strip()) for c in cells) >= 0.9 * len(cells) for cells in columns]
    if delimiter == ":":
        return any(numeric) and not all(len(cell) == 2 for row in even for cell in row if cell)
    return sum(numeric) * 2 >= width


def usual_width(rows: list[Row]) -> int:
    return Counter(map(len, rows)).most_common(1)[0][0] if rows else 0


def _is_coded(rows: list[Row], width: int) -> bool:
    """Whether lines split at colons are a list of codes: each begins with one of its own, a short word."""
    first = [(row[0] or "").strip() for row in rows]
    codes = sum(bool(re.fullmatch(r"[\w.+-]{1,12}", code)) for code in first)
    even = sum(len(row) == width for row in rows)
    if len(rows) < 10 or even < 0.95 * len(rows) or codes < 0.95 * len(rows):
        return False
    rest = [cell for row in rows for cell in row[1:] if cell]
    times = sum(bool(re.fullmatch(r"\d\d", cell)) for cell in rest)
    return len(set(first)) >= 0.9 * len(rows) and times * 2 < len(rest)


def find_quotes(lines: list[str], options: ReadOptions) -> tuple[str, str, str]:
    """Quote sign, escape sign, and why. Single quotes count only where they enclose whole cells."""
    text = "\n".join(lines)
    if options.quote is not None:
        return options.quote, options.escape or "", "as set"
    double = len(re.findall(r'(?:^|[,;\t|])"', text, re.M))
    single = len(re.findall(r"(?:^|[,;\t|])'[^'\n]*'(?=[,;\t|\r\n]|$)", text, re.M))
    if single > double:
        return "'", options.escape or "", f"single quotes, because they enclose {single:,} cells"
    escape = options.escape if options.escape is not None else _escape(lines, options)
    return (
        '"',
        escape,
        f"double quotes enclose {double:,} cells" if double else "the usual one; no cell needs it",
    )


def _escape(lines: list[str], options: ReadOptions) -> str:
    """A backslash, where the lines split better when it takes the quote after it for a plain sign."""
    if not any('\\"' in line for line in lines):
        return ""
    without, with_it = (find_delimiter(lines, None, '"', escape)[2] for escape in ("", "\\"))
    return "\\" if with_it > without else ""


def dialect(delimiter: str, quote: str, escape: str) -> dict[str, Any]:
    """The signs as the csv module takes them."""
    signs: dict[str, Any] = {"delimiter": delimiter, "escapechar": escape or None}
    if delimiter == " ":
        signs["skipinitialspace"] = True  # a run of blanks is one delimiter
    return signs | ({"quotechar": quote} if quote else {"quoting": csv.QUOTE_NONE})


def split(text: str, delimiter: str, quote: str, escape: str) -> list[Row]:
    rows: list[Row] = []
    try:
        lines = evened(bare(io.StringIO(text), delimiter), delimiter, quote, escape)
        for row in csv.reader(lines, **dialect(delimiter, quote, escape)):
            rows.append([cell or None for cell in row])
    except csv.Error:
        pass  # what was split until there is enough to judge by
    return rows


def evened(lines: Iterable[str], delimiter: str, quote: str, escape: str) -> Iterator[str]:
    """Lines whose quotes go with each other: within an enclosed cell a quote that ends nothing is doubled.

    So `"he said "now" twice","A"` is read as it was meant. A line is left alone where it is
    sound, within a cell of several lines, or where its cells do not end with a quote before a delimiter.
    """
    if not quote or escape:
        yield from lines
        return
    sign, mark = re.escape(quote), re.escape(delimiter)
    sound = re.compile(f"(?:{sign}(?:[^{sign}]|{sign}{sign})*{sign}|[^{sign}{mark}]*)")
    loose = re.compile(f"{sign}.*?{sign}(?={mark}|$)|[^{sign}{mark}]*(?={mark}|$)")
    inside = False
    for line in lines:
        odd = line.count(quote) % 2 == 1  # a cell begins that goes on in the next line, or ends here
        if quote in line and not inside and not odd and f"\\{quote}" not in line:
            text = line.rstrip("\r\n")
            if _cells(text, sound, delimiter) is None and (cells := _cells(text, loose, delimiter)):
                yield delimiter.join(_enclosed(cell, quote) for cell in cells) + "\n"
                continue
        inside ^= odd
        yield line


def _cells(line: str, cell: re.Pattern[str], delimiter: str) -> list[str] | None:
    """The cells of a line, each of which fits; None where one does not."""
    found, at = [], 0
    while match := cell.match(line, at):
        found.append(match[0])
        at = match.end()
        if at == len(line):
            return found
        if line[at] != delimiter:
            return None
        at += 1
    return None


def _enclosed(cell: str, quote: str) -> str:
    if not cell.startswith(quote):
        return cell
    return quote + cell[1:-1].replace(quote * 2, quote).replace(quote, quote * 2) + quote


def bare(lines: Iterable[str], delimiter: str) -> Iterator[str]:
    """Lines without what frames them: blanks around, bars at both ends, a rule of dashes near the top."""
    if delimiter not in " |":
        yield from lines
        return
    framed: bool | None = None
    for number, line in enumerate(lines):
        plain = line.strip()
        if number < 3 and len(plain) > 2 and not set(plain) - set("-=+:| ") and re.search("[-=]{2}", plain):
            continue
        if delimiter == " ":  # tabs are blanks there, too
            yield "{}\n".format(plain.replace("\t", " "))
            continue
        if framed is None and plain:
            framed = len(plain) > 2 and plain.startswith("|") and plain.endswith("|")
        if framed and plain.startswith("|") and plain.endswith("|"):
            yield "|".join(cell.strip() for cell in plain[1:-1].split("|")) + "\n"
        else:
            yield line
