"""Workbooks that no library at hand writes, made by hand for the tests: ods (OpenDocument) and xlsb (BIFF12)."""

import struct
import zipfile
from pathlib import Path
from xml.sax.saxutils import escape

NS = {
    "office": "urn:oasis:names:tc:opendocument:xmlns:office:1.0",
    "table": "urn:oasis:names:tc:opendocument:xmlns:table:1.0",
    "text": "urn:oasis:names:tc:opendocument:xmlns:text:1.0",
}


def write_ods(path: Path, sheet: str, rows: list[list[str | float]]) -> None:
    def cell(value):
        if isinstance(value, str):
            return f'<table:table-cell office:value-type="string"><text:p>{escape(value)}</text:p></table:table-cell>'
        return f'<table:table-cell office:value-type="float" office:value="{value}"/>'

    body = "".join(f"<table:table-row>{''.join(map(cell, row))}</table:table-row>" for row in rows)
    spaces = " ".join(f'xmlns:{prefix}="{uri}"' for prefix, uri in NS.items())
    content = (
        f'<?xml version="1.0"?><office:document-content {spaces} office:version="1.2"><office:body>'
        f'<office:spreadsheet><table:table table:name="{sheet}">{body}</table:table></office:spreadsheet>'
        "</office:body></office:document-content>"
    )
    manifest = '<?xml version="1.0"?><m:manifest xmlns:m="urn:oasis:names:tc:opendocument:xmlns:manifest:1.0"/>'
    with zipfile.ZipFile(path, "w") as book:
        book.writestr("mimetype", "application/vnd.oasis.opendocument.spreadsheet")
        book.writestr("META-INF/manifest.xml", manifest)
        book.writestr("content.xml", content)


def write_xlsb(path: Path, sheet: str, rows: list[list[str | float]]) -> None:
    def record(kind: int, data: bytes = b"") -> bytes:
        head = bytes([kind]) if kind < 0x80 else bytes([kind & 0x7F | 0x80, kind >> 7])
        size, length = len(data), b""
        while True:
            size, low = size >> 7, size & 0x7F
            length += bytes([low | (0x80 if size else 0)])
            if not size:
                return head + length + data

    def wide(text: str) -> bytes:
        return struct.pack("<I", len(text)) + text.encode("utf-16-le")

    cells = b""
    for number, row in enumerate(rows):
        cells += record(0, struct.pack("<IIHHBI", number, 0, 300, 0, 0, 0))
        for place, value in enumerate(row):
            head = struct.pack("<II", place, 0)
            cells += (
                record(6, head + wide(value)) if isinstance(value, str) else record(5, head + struct.pack("<d", value))
            )
    size = struct.pack("<IIII", 0, len(rows) - 1, 0, max(map(len, rows)) - 1)
    page = record(129) + record(148, size) + record(145) + cells + record(146) + record(130)
    bundle = struct.pack("<II", 0, 1) + wide("rId1") + wide(sheet)
    book_part = record(131) + record(153, b"\0" * 12) + record(143) + record(156, bundle) + record(144) + record(132)
    relation = "http://schemas.openxmlformats.org/officeDocument/2006/relationships"
    head = '<?xml version="1.0"?><Relationships xmlns="http://schemas.openxmlformats.org/package/2006/relationships">'
    kinds = '<?xml version="1.0"?><Types xmlns="http://schemas.openxmlformats.org/package/2006/content-types"/>'
    with zipfile.ZipFile(path, "w") as book:
        book.writestr("[Content_Types].xml", kinds)
        main = f'<Relationship Id="rId1" Type="{relation}/officeDocument" Target="xl/workbook.bin"/></Relationships>'
        book.writestr("_rels/.rels", head + main)
        part = f'<Relationship Id="rId1" Type="{relation}/worksheet" Target="worksheets/sheet1.bin"/></Relationships>'
        book.writestr("xl/_rels/workbook.bin.rels", head + part)
        book.writestr("xl/workbook.bin", book_part)
        book.writestr("xl/worksheets/sheet1.bin", page)
