"""What the papers share: type, colours, figures in the shop's unit, tables."""

from __future__ import annotations

from io import BytesIO
from typing import Any
from xml.sax.saxutils import escape

from reportlab.lib import colors
from reportlab.lib.enums import TA_RIGHT
from reportlab.lib.pagesizes import A4
from reportlab.lib.styles import ParagraphStyle
from reportlab.lib.units import mm
from reportlab.pdfbase import pdfmetrics
from reportlab.pdfbase.ttfonts import TTFont
from reportlab.platypus import Flowable, Paragraph, SimpleDocTemplate, Table, TableStyle

from bibulon.appearance import LIGHT, font_files
from bibulon.assess import Assessment
from bibulon.quantities import QuantityKind, show

INK, MUTED, RULE, AMBER = (colors.HexColor(code) for code in (LIGHT.ink, LIGHT.muted, LIGHT.rule, LIGHT.feed))
FACE, BOLD = "Traveller", "Traveller Bold"


def styles() -> dict[str, ParagraphStyle]:
    """Paragraph styles in the program's own type; registers its fonts."""
    if FACE not in pdfmetrics.getRegisteredFontNames():
        fonts = font_files()
        pdfmetrics.registerFont(TTFont(FACE, BytesIO(fonts["Barlow-400"])))
        pdfmetrics.registerFont(TTFont(BOLD, BytesIO(fonts["Barlow-600"])))
    body = ParagraphStyle("body", fontName=FACE, fontSize=9, leading=12, textColor=INK)
    return {
        "body": body,
        "right": ParagraphStyle("right", parent=body, alignment=TA_RIGHT),
        "muted": ParagraphStyle("muted", parent=body, textColor=MUTED),
        "muted right": ParagraphStyle("muted right", parent=body, textColor=MUTED, alignment=TA_RIGHT),
        "head": ParagraphStyle(
            "head", parent=body, fontName=BOLD, fontSize=12, leading=16, spaceBefore=10, spaceAfter=3
        ),
        "title": ParagraphStyle("title", parent=body, fontName=BOLD, fontSize=18, leading=22),
    }


def sheet_pdf(title: str, story: list[Flowable], margin_mm: float) -> bytes:
    """A *story* as PDF, A4 with that margin all round."""
    out, margin = BytesIO(), margin_mm * mm
    SimpleDocTemplate(
        out, pagesize=A4, leftMargin=margin, rightMargin=margin, topMargin=margin, bottomMargin=margin, title=title
    ).build(story)
    return out.getvalue()


class Sheet:
    """A paper about an assessment."""

    def __init__(self, assessment: Assessment) -> None:
        self.assessment, self.job, self.units = assessment, assessment.job, assessment.units
        self.style = styles()

    def show(self, value: float | None, kind: QuantityKind) -> str:
        return "–" if value is None else show(value, kind, self.units)

    def text(self, words: str, style: str = "body") -> Paragraph:
        return Paragraph(escape(words), self.style[style])

    def table(
        self,
        head: list[str],
        rows: list[list[str]],
        widths_mm: list[float],
        right: tuple[int, ...] = (),
        row_mm: float | None = None,
    ) -> Table:
        """A table with those columns set to the *right*; rows of *row_mm* leave room to write."""
        cells: list[list[Any]] = [
            [self.text(word, "muted right" if i in right else "muted") for i, word in enumerate(head)]
        ]
        cells += [[self.text(cell, "right" if i in right else "body") for i, cell in enumerate(row)] for row in rows]
        heights = None if row_mm is None else [None, *[row_mm * mm] * len(rows)]
        table = Table(cells, [width * mm for width in widths_mm], rowHeights=heights, repeatRows=1)
        table.setStyle(
            TableStyle(
                [
                    ("LINEBELOW", (0, 0), (-1, 0), 0.8, INK),
                    ("LINEBELOW", (0, 1), (-1, -1), 0.3, RULE),
                    ("VALIGN", (0, 0), (-1, -1), "TOP"),
                    ("TOPPADDING", (0, 0), (-1, -1), 2),
                    ("BOTTOMPADDING", (0, 0), (-1, -1), 2),
                    ("LEFTPADDING", (0, 0), (-1, -1), 2),
                    ("RIGHTPADDING", (0, 0), (-1, -1), 2),
                    *(("RIGHTPADDING", (i, 0), (i, -1), 8) for i in right),
                ]
            )
        )
        return table
