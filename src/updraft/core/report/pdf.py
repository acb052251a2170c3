"""A page of HTML as a PDF. Nothing is fetched: what it shows is in the page or ships with Updraft."""

from __future__ import annotations

from pathlib import Path

import plutoprint

from updraft.core.problems import Problem

_FONTS = Path(__file__).parent / "fonts/figtree"
_RANGES = {
    "latin": "U+0000-00FF, U+0131, U+0152-0153, U+2000-206F, U+20AC, U+2122",
    "latin-ext": "U+0100-024F, U+1E00-1EFF",
}
# A file for each weight: a PDF shows all text of a font whose weight varies in the weight that came first.
_FACES = "".join(
    f"@font-face {{ font-family: Figtree; font-weight: {weight}; unicode-range: {signs};"
    f' src: url("font:figtree-{name}-{weight}.woff2"); }}\n'
    for weight in (400, 700)
    for name, signs in _RANGES.items()
)
_STYLE = f"""{_FACES}@page {{ margin: 18mm; }}
body {{ font-family: Figtree, sans-serif; }}"""


def write_pdf(html: str, path: Path, title: str) -> int:
    """Write the PDF, A4; the number of its pages.

    Raises:
        Problem: the page cannot be set.
    """
    book = plutoprint.Book(plutoprint.PAGE_SIZE_A4)
    book.custom_resource_fetcher = _Ours()
    try:
        book.load_html(html, user_style=_STYLE, base_url="report:///")
        book.set_metadata(plutoprint.PDF_METADATA_TITLE, title)
        book.write_to_pdf(str(path))
    except plutoprint.Error:
        raise Problem(
            "The report",
            "it could not be made into pages.",
            "Look at its sample; it may be too large, or a picture in it damaged.",
            code="bad_report",
        ) from None
    return int(book.get_page_count())


class _Ours(plutoprint.ResourceFetcher):
    """Gives the fonts that ship with the app, and pictures that stand in the page itself."""

    def fetch_url(self, url: str) -> plutoprint.ResourceData:
        name = url.rpartition(":")[2]
        if url.startswith("font:") and (found := _FONTS / Path(name).name).is_file():
            return plutoprint.ResourceData(found.read_bytes(), "font/woff2")
        if url.startswith("data:"):
            return plutoprint.default_resource_fetcher.fetch_url(url)
        raise ValueError("a report fetches nothing")
