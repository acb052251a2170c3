"""Text encodings: which one a file is in, and whether its text went through a wrong one before."""

from __future__ import annotations

import codecs
import re
from pathlib import Path

import polars as pl

from updraft.core.problems import Problem

SAMPLE = 256 * 1024  # bytes looked at
_MARKS = (
    (b"\xef\xbb\xbf", "utf-8-sig"),
    (b"\xff\xfe\0\0", "utf-32"),
    (b"\xff\xfe", "utf-16"),
    (b"\xfe\xff", "utf-16"),
)
_NO_TEXT = frozenset(
    {"idna", "punycode", "undefined", "unicode_escape", "raw_unicode_escape", "unicode-escape"}
)
# What programs of today write besides Unicode; the first is taken where the letters say too little.
_LIKELY = (
    "cp1252", "cp1250", "cp1251", "cp1253", "cp1254", "cp1255", "cp1256", "cp1257", "cp1258", "iso8859-2",
    "mac-roman", "cp850", "cp437", "cp866", "koi8-r", "cp932", "euc_jis_2004", "gb18030", "big5hkscs",
    "cp949", "cp874",
)  # fmt: skip
# What no one writes, such as Mal—sia, €pfel or GŽttingen.
_SIGN_IN_WORD = re.compile(r"[^\W\d_][^\x00-\x7f\w’‘…–][^\W\d_]|€[a-z]|[A-Za-z][À-ÞŽŠŸŒ][a-z]")
_SAYING = 0.1  # a confidence below which a few letters say too little


def find_encoding(sample: bytes, *, whole: bool, wanted: str | None, name: str) -> tuple[str, str]:
    """The encoding of a text, and why.

    A byte order mark decides; then valid UTF-8; then NUL bytes at every other place (UTF-16 without a mark);
    then the code page whose letters make the most likely text.

    Args:
        sample: the beginning of the file; `whole` says whether it is all of it.
        wanted: the one a person chose.

    Raises:
        Problem: nothing of the wanted name is known, or the bytes are no text.
    """
    if wanted:
        try:
            found = codecs.lookup(wanted).name
            if found in _NO_TEXT:
                raise LookupError
            b"".decode(found)  # some names are of codecs that make no text
            return found, "as set"
        except (LookupError, ValueError):
            raise Problem(
                f"Encoding “{wanted}”",
                f"no encoding of this name is known, so {name} was not read.",
                "Use a name such as utf-8, windows-1252 or utf-16.",
                field="encoding",
            ) from None
    for mark, encoding in _MARKS:
        if sample.startswith(mark):
            return encoding, "the file starts with its byte order mark"
    if b"\0" in sample:
        return _sixteen_bits(sample, name)
    try:
        sample.decode("utf-8") if whole else codecs.getincrementaldecoder("utf-8")().decode(sample)
        return "utf-8", "all bytes are valid UTF-8"
    except UnicodeDecodeError:
        pass
    return _code_page(sample, whole), "not valid UTF-8; the letters fit this encoding best"


def _code_page(sample: bytes, whole: bool) -> str:
    """The code page whose letters make the most likely text, by models of languages."""
    from chardet import detect_all

    if not sample.translate(None, bytes(range(128)) + "€…‘’“”–—™\xa0£§©«®°±»×".encode(_LIKELY[0])):
        return _LIKELY[0]  # no letter among them, only signs that its programs put in by themselves
    guesses: dict[str, float] = {}
    for guess in detect_all(sample, include_encodings=_LIKELY, compat_names=False):
        if guess["encoding"] and _decodes(sample, guess["encoding"], whole):
            guesses.setdefault(codecs.lookup(guess["encoding"]).name, guess["confidence"])
    best, sure = max(guesses.items(), key=lambda pair: pair[1], default=(_LIKELY[0], 0.0))
    if sure >= _SAYING:
        return best
    near = [name for name, confidence in guesses.items() if confidence >= 0.8 * sure] or [best]

    def odd(name: str) -> tuple[int, bool]:
        """How often it has what no one writes; of several that have it least the usual one is taken."""
        return len(_SIGN_IN_WORD.findall(sample.decode(name, "ignore"))), name != _LIKELY[0]

    return min(near, key=odd)  # the first, and so the likeliest, of those that are the same


def _decodes(sample: bytes, encoding: str, whole: bool) -> bool:
    """Whether the bytes are text in an encoding; if they are not all, the last character may be cut off."""
    try:
        codecs.getincrementaldecoder(encoding)().decode(sample, final=whole)
    except (UnicodeDecodeError, LookupError):
        return False
    return True


def _sixteen_bits(sample: bytes, name: str) -> tuple[str, str]:
    odd, even = sample[1::2].count(0), sample[::2].count(0)
    half = max(len(sample) // 2, 1)
    for count, other, encoding in ((odd, even, "utf-16-le"), (even, odd, "utf-16-be")):
        if len(sample) >= 8 and count > half * 0.4 and other < half * 0.05:
            return encoding, "every other byte is NUL, as in UTF-16"
    raise Problem(
        name,
        "it holds NUL bytes, so it is not plain text.",
        "Choose the file's own format, or save it again as CSV.",
        code="not_text",
    )


# Letters that UTF-8 read as a western code page turns into, as UTF-8: Ã Â Å Ä Ð Ñ, and â before a sign of its
# own.
_SIGNS = re.compile(rb"\xc3(?:[\x82-\x85\x90\x91]|\xa2[\xc2\xe2])")


def may_be_broken(path: Path) -> bool:
    """Whether a text file in UTF-8 may hold broken text, by its bytes alone."""
    with path.open("rb") as file:
        end = b""
        while block := file.read(4 << 20):
            # Most texts have no such letter at all, and a byte is found far sooner than a pattern.
            if (b"\xc3" in block or end) and _SIGNS.search(end + block):
                return True
            end = block[-3:] if b"\xc3" in block[-3:] else b""
    return False


def holds(path: Path, pattern: re.Pattern[bytes], longest: int) -> bool:
    """Whether a pattern of at most so many bytes stands anywhere in a file."""
    with path.open("rb") as file:
        end = b""
        while block := file.read(4 << 20):
            if pattern.search(end + block):
                return True
            end = block[-longest:]
    return False


def _beyond_ascii(series: pl.Series) -> pl.Series:
    """The texts that hold a letter of more than one byte; told ten times as fast as by a pattern."""
    return series.filter(series.str.len_bytes() != series.str.len_chars())


def broken_text(frame: pl.DataFrame, most: int = 4000) -> tuple[int, str]:
    """How many distinct text values look as if they were read in a wrong encoding, and one of them.

    Looks at the distinct values that hold letters beyond ASCII, at most `most` a column, by ftfy's measure of
    unlikely sequences of characters.
    """
    count, example = 0, ""
    for series in frame.get_columns():
        if series.dtype != pl.String:
            continue
        for value in _beyond_ascii(series).unique(maintain_order=True).head(most):
            from ftfy import fix_encoding
            from ftfy.badness import is_bad

            if is_bad(value) and fix_encoding(value) != value:
                count, example = count + 1, example or value
    return count, example


def mend_text(frame: pl.DataFrame) -> pl.DataFrame:
    """The table with broken text repaired; values that are fine stay as they are."""
    from ftfy import fix_encoding

    def column(series: pl.Series) -> pl.Series:
        strange = _beyond_ascii(series).drop_nulls().unique()
        pairs = [(old, new) for old in strange if (new := fix_encoding(old)) != old]
        return series.replace([old for old, _ in pairs], [new for _, new in pairs]) if pairs else series

    return frame.with_columns([column(s) for s in frame.get_columns() if s.dtype == pl.String])
