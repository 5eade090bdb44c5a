"""The verification sheet: a site's photographs, how each camera was found and how well, on paper (PDF).

Every figure on it is one that `lithopos site` prints; ± are at 95 %.
"""

from __future__ import annotations

import io
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date
from pathlib import Path
from typing import Any
from xml.sax.saxutils import escape

import numpy as np
from numpy.typing import NDArray
from PIL import Image
from reportlab.lib.colors import HexColor
from reportlab.lib.pagesizes import A4
from reportlab.lib.styles import ParagraphStyle
from reportlab.lib.units import mm
from reportlab.lib.utils import ImageReader
from reportlab.pdfbase import pdfmetrics
from reportlab.pdfbase.ttfonts import TTFont
from reportlab.platypus import (
    BaseDocTemplate,
    Flowable,
    Frame,
    KeepTogether,
    PageBreak,
    PageTemplate,
    Paragraph,
    Spacer,
    Table,
    TableStyle,
)

from lithopos.core.derive import Derived
from lithopos.core.shot import Shot
from lithopos.core.site.answer import MemberAnswer, SiteAnswer
from lithopos.core.site.document import Site
from lithopos.core.site.statement import SURE, stated

FONTS = Path(__file__).parent / "fonts"
PLAIN, STRONG = "Commissioner", "Commissioner-SemiBold"
INK, SOFT, RULE, MARK, FOUND = (HexColor(code) for code in ("#22262b", "#5f656c", "#d9d8cf", "#a3402a", "#2f7366"))
MARGIN = 16 * mm
WIDTH = A4[0] - 2 * MARGIN
MOST_PX = 1600  # of a photograph's longer side on paper
PLAN_HIGH = 105 * mm

__all__ = ["Pictured", "write_sheet"]


@dataclass(frozen=True)
class Pictured:
    """One photograph of the sheet.

    Attributes
    ----------
    photograph : (H, W, 3) codes, at any size; `finished` the picture with what was added, where there is one.
    """

    shot: Shot
    facts: Derived
    photograph: NDArray[np.uint8] | None = None
    finished: NDArray[np.uint8] | None = None


def write_sheet(
    title: str, site: Site, answer: SiteAnswer, pictures: dict[str, Pictured], made_on: date, out: io.BufferedIOBase
) -> None:
    """Write the sheet.

    Parameters
    ----------
    title : of the project.
    pictures : by the photographs' names; those that are not tied are named as such.
    """
    _fonts()
    names = _called(site, pictures)
    story: list[Flowable] = [
        Paragraph(escape(title), _style(17, 21, STRONG)),
        Paragraph(_summary(answer, made_on), _style(8.5, 12.5, colour=SOFT)),
        Spacer(0, 5 * mm),
        _Plan(answer, names),
        Spacer(0, 4 * mm),
        _cameras(answer, names),
        Spacer(0, 6 * mm),
        Paragraph("Ties", _style(12, 16, STRONG)),
        Paragraph(_about_ties(answer), _style(8.5, 12.5, colour=SOFT)),
        Spacer(0, 2 * mm),
        _ties(site, answer, names),
    ]
    if answer.lengths:
        story += [Spacer(0, 4 * mm), _lengths(site, answer)]
    for member in answer.members:
        story += _of_photograph(member, site, answer, pictures.get(member.id), names)
    document = BaseDocTemplate(
        out, pagesize=A4, title=f"{title}: verification", leftMargin=MARGIN, rightMargin=MARGIN, author="Lithopos"
    )
    frame = Frame(MARGIN, 18 * mm, WIDTH, A4[1] - 34 * mm, leftPadding=0, rightPadding=0, topPadding=0, bottomPadding=0)
    document.addPageTemplates(PageTemplate("all", [frame], onPage=lambda canvas, _: _foot(canvas, title, made_on)))
    document.build(story)


def _fonts() -> None:
    if PLAIN not in pdfmetrics.getRegisteredFontNames():
        pdfmetrics.registerFont(TTFont(PLAIN, str(FONTS / "commissioner-regular.ttf")))
        pdfmetrics.registerFont(TTFont(STRONG, str(FONTS / "commissioner-semibold.ttf")))


def _style(size: float, leading: float, font: str = PLAIN, colour: Any = INK) -> ParagraphStyle:
    return ParagraphStyle("own", fontName=font, fontSize=size, leading=leading, textColor=colour)


def _called(site: Site, pictures: dict[str, Pictured]) -> dict[str, str]:
    """The photographs by number and name."""
    told = {}
    for number, member in enumerate(site.members, 1):
        named = pictures[member.id].shot.name if member.id in pictures else member.id
        told[member.id] = f"{number} {named}" if named else str(number)
    return told


def _foot(canvas: Any, title: str, made_on: date) -> None:
    canvas.setFont(PLAIN, 7.5)
    canvas.setFillColor(SOFT)
    canvas.drawString(MARGIN, 10 * mm, f"{title} · verification of photographs · {made_on:%d %B %Y}")
    canvas.drawRightString(A4[0] - MARGIN, 10 * mm, str(canvas.getPageNumber()))


def _summary(answer: SiteAnswer, made_on: date) -> str:
    tied = sum(member.camera is not None for member in answer.members)
    count = len(answer.members)
    which = "" if tied == count else f", {count - tied} of them not tied to the others"
    told = f"{count} photograph{'s' if count > 1 else ''} of one place{which}. {made_on:%d %B %Y}. "
    return told + "Every camera follows from all photographs together; ± are at 95 %, lengths are in metres."


def _about_ties(answer: SiteAnswer) -> str:
    told = "Things of the place that were marked in the photographs; beside each how far off it is predicted there."
    if answer.marks is not None:
        told += f" All marks agree {answer.marks:.2f} times as far as a hand’s would."
    return escape(" ".join([told, *answer.doubts]))


def _table(rows: list[list[str]], wide: Sequence[float], strong_first: bool = False) -> Table:
    head = [Paragraph(escape(cell), _style(7.5, 10, colour=SOFT)) for cell in rows[0]]
    body = [
        [
            Paragraph(escape(cell), _style(8.5, 11.5, STRONG if strong_first and number == 0 else PLAIN))
            for number, cell in enumerate(row)
        ]
        for row in rows[1:]
    ]
    table = Table([head, *body], colWidths=list(wide), repeatRows=1)
    rules = [("LINEBELOW", (0, 0), (-1, -1), 0.4, RULE), ("VALIGN", (0, 0), (-1, -1), "TOP")]
    pads = [(f"{side}PADDING", (0, 0), (-1, -1), 2.2) for side in ("TOP", "BOTTOM")]
    table.setStyle(TableStyle([*rules, *pads, ("LEFTPADDING", (0, 0), (-1, -1), 0)]))
    return table


def _cameras(answer: SiteAnswer, names: dict[str, str]) -> Table:
    surveyed = any(member.survey_position for member in answer.members)
    rows = [["Photograph", "East, north" if surveyed else "Place", "Height", "Direction", "Lens"]]
    for member in answer.members:
        if member.camera is None:
            rows.append([names[member.id], f"not tied: {member.reason or answer.reason or ''}", "", "", ""])
            continue
        told = {one.name: one for one in stated(member, Shot(), Derived(), answer)}
        place = "Place in the site"
        at = f"{told['East'].value}, {told['North'].value}" if "East" in told else told[place].value
        height = told["Height above the ground"]
        lens, direction = told["Lens"], told["Direction"]
        cells = [at, f"{height.value} {height.within}"]
        cells += [f"{direction.value} {direction.within}", f"{lens.value} {lens.within}"]
        rows.append([names[member.id], *cells])
    return _table(rows, [WIDTH * share for share in (0.2, 0.22, 0.18, 0.22, 0.18)], strong_first=True)


def _ties(site: Site, answer: SiteAnswer, names: dict[str, str]) -> Table:
    seen = [member.id for member in site.members]
    surveyed = any(tie.off_m for tie in answer.ties)
    head = ["Tie", "Place", "±", *(["Survey, off by"] if surveyed else [])]
    rows = [[*head, *(names[name].split(" ")[0] for name in seen)]]
    for tie, told in zip(site.ties, answer.ties, strict=True):
        named = tie.name or tie.id
        if told.position_m is None or told.sigma_m is None:
            why = "set aside" if told.aside else told.reason or ""
            rows.append([named, why, *([""] * (len(head) - 2 + len(seen)))])
            continue
        place = ", ".join(f"{value:.3f}" for value in told.position_m)
        within = ", ".join(f"{SURE * value:.3f}" for value in told.sigma_m)
        off_m = ", ".join("" if value is None else f"{value:+.3f}" for value in told.off_m) if told.off_m else ""
        off = [f"{np.hypot(*told.off_px[name]):.2f} px" if name in told.off_px else "" for name in seen]
        rows.append([named, place, within, *([off_m] if surveyed else []), *off])
    shares = (0.17, 0.2, 0.17, 0.17) if surveyed else (0.2, 0.24, 0.21)
    each = (1 - sum(shares)) / max(len(seen), 1)
    return _table(rows, [WIDTH * share for share in (*shares, *([each] * len(seen)))], strong_first=True)


def _lengths(site: Site, answer: SiteAnswer) -> Table:
    names = {tie.id: tie.name or tie.id for tie in site.ties}
    rows = [["Known length", "Given", "As the site has it", "±"]]
    for length, told in zip(site.lengths, answer.lengths, strict=True):
        has = f"{told.metres:.3f} m" if told.metres is not None else ""
        within = f"± {SURE * told.sigma_m:.3f} m" if told.sigma_m is not None else ""
        rows.append([f"{names[length.from_]} to {names[length.to]}", f"{length.metres:.3f} m", has, within])
    return _table(rows, [WIDTH * share for share in (0.46, 0.18, 0.18, 0.18)], strong_first=True)


def _of_photograph(
    member: MemberAnswer, site: Site, answer: SiteAnswer, pictured: Pictured | None, names: dict[str, str]
) -> list[Flowable]:
    """A page of one photograph: what is marked and predicted in it, what is stated, and the finished picture."""
    if pictured is None:
        return []
    story: list[Flowable] = [PageBreak(), Paragraph(escape(names[member.id]), _style(14, 18, STRONG))]
    if pictured.photograph is not None:
        story += [Spacer(0, 2 * mm), _Marked(member, site, answer, pictured)]
        told = "Crosses: marked. Rings: where the solved camera predicts the same thing."
        story.append(Paragraph(told, _style(7.5, 12, colour=SOFT)))
    rows = [["", "", "± (95 %)", "Got from"]]
    told_of = stated(member, pictured.shot, pictured.facts, answer)
    rows += [[one.name, one.value, one.within, one.how] for one in told_of]
    story += [Spacer(0, 3 * mm), _table(rows, [WIDTH * share for share in (0.22, 0.28, 0.18, 0.32)], True)]
    if pictured.finished is not None:
        finished = [Paragraph("Finished", _style(12, 18, STRONG)), _Picture(pictured.finished)]
        story += [Spacer(0, 5 * mm), KeepTogether(finished)]
    return story


class _Picture(Flowable):  # type: ignore[misc]  # the package has no types
    """A picture over the page's width."""

    def __init__(self, codes: NDArray[np.uint8], high: float = 120 * mm) -> None:
        super().__init__()
        height, width = codes.shape[:2]
        self.scale = min(WIDTH / width, high / height)
        self.width, self.height = width * self.scale, height * self.scale
        shrink = min(1.0, MOST_PX / max(width, height))
        picture = Image.fromarray(codes[..., :3])
        if shrink < 1:
            picture = picture.resize((round(width * shrink), round(height * shrink)), Image.Resampling.LANCZOS)
        encoded = io.BytesIO()
        picture.save(encoded, "JPEG", quality=88)
        encoded.seek(0)
        self.image = ImageReader(encoded)

    def wrap(self, *_: float) -> tuple[float, float]:
        return self.width, self.height

    def draw(self) -> None:
        self.canv.drawImage(self.image, 0, 0, self.width, self.height)


class _Marked(_Picture):
    """A photograph with what was marked in it and what is predicted."""

    def __init__(self, member: MemberAnswer, site: Site, answer: SiteAnswer, pictured: Pictured) -> None:
        assert pictured.photograph is not None
        super().__init__(pictured.photograph)
        photograph = pictured.shot.photograph
        self.size = (photograph.width, photograph.height) if photograph else pictured.photograph.shape[1::-1]
        self.member, self.site, self.answer = member, site, answer

    def draw(self) -> None:
        super().draw()
        canvas = self.canv
        canvas.setFont(STRONG, 6.5)
        for number, (tie, told) in enumerate(zip(self.site.ties, self.answer.ties, strict=True), 1):
            predicted, marked = told.predicted.get(self.member.id), tie.seen.get(self.member.id)
            for colour, wide in (("#ffffff", 2.0), (None, 0.9)):
                if marked is not None:
                    x, y = self._at(marked)
                    canvas.setStrokeColor(HexColor(colour) if colour else MARK)
                    canvas.setLineWidth(wide)
                    canvas.line(x - 5, y, x + 5, y)
                    canvas.line(x, y - 5, x, y + 5)
                if predicted is not None and self._inside(predicted):
                    canvas.setStrokeColor(HexColor(colour) if colour else FOUND)
                    canvas.setLineWidth(wide)
                    canvas.circle(*self._at(predicted), 4)
            if (at := marked or predicted) is not None and self._inside(at):
                x, y = self._at(at)
                label = tie.name or str(number)
                canvas.setFillColor(HexColor("#ffffff"))
                wide = pdfmetrics.stringWidth(label, STRONG, 6.5)
                canvas.rect(x + 6, y + 3, wide + 3, 8, stroke=0, fill=1)
                canvas.setFillColor(INK)
                canvas.drawString(x + 7.5, y + 4.8, label)

    def _at(self, pixel: tuple[float, float]) -> tuple[float, float]:
        return pixel[0] / self.size[0] * self.width, self.height - pixel[1] / self.size[1] * self.height

    def _inside(self, pixel: tuple[float, float]) -> bool:
        return 0 <= pixel[0] <= self.size[0] and 0 <= pixel[1] <= self.size[1]


class _Plan(Flowable):  # type: ignore[misc]
    """The place from above: cameras with what each sees, and the ties; north is up where a survey tells it."""

    def __init__(self, answer: SiteAnswer, names: dict[str, str]) -> None:
        super().__init__()
        self.answer, self.names = answer, names
        turn = np.radians(answer.survey_heading_deg or 0.0)
        self.turn = np.array([[np.cos(turn), -np.sin(turn)], [np.sin(turn), np.cos(turn)]])

    def wrap(self, *_: float) -> tuple[float, float]:
        return WIDTH, PLAN_HIGH

    def draw(self) -> None:
        canvas = self.canv
        members = [one for one in self.answer.members if one.camera is not None]
        ties = [(tie.id, tie.position_m) for tie in self.answer.ties if tie.position_m is not None]
        if not members:
            return
        places = [self.turn @ np.array(one.camera.camera_position[:2]) for one in members if one.camera]
        points = [self.turn @ np.array(at[:2]) for _, at in ties]
        every = np.array([*places, *points])
        low, high = every.min(0), every.max(0)
        reach = np.maximum(high - low, 1.0)
        self.scale = float(min((WIDTH - 90) / reach[0], (PLAN_HIGH - 60) / reach[1]))
        self.middle = (low + high) / 2
        canvas.setStrokeColor(RULE)
        canvas.setLineWidth(0.4)
        canvas.rect(0, 0, WIDTH, PLAN_HIGH)
        path = canvas.beginPath()
        path.rect(0, 0, WIDTH, PLAN_HIGH)
        canvas.saveState()
        canvas.clipPath(path, stroke=0)
        for member, place in zip(members, places, strict=True):
            self._cone(member, place, float(np.hypot(*reach)))
        canvas.restoreState()
        canvas.setFillColor(INK)
        canvas.setFont(PLAIN, 6.5)
        for point in points:
            x, y = self._at(point)
            canvas.circle(x, y, 1.4, stroke=0, fill=1)
        canvas.setFont(STRONG, 8)
        for member, place in zip(members, places, strict=True):
            x, y = self._at(place)
            canvas.setFillColor(FOUND)
            canvas.circle(x, y, 3, stroke=0, fill=1)
            canvas.setFillColor(INK)
            canvas.drawString(x + 5, y - 3, self.names[member.id].split(" ")[0])
        self._legend(canvas)

    def _at(self, point: NDArray[np.float64]) -> tuple[float, float]:
        x, y = (point - self.middle) * self.scale
        return WIDTH / 2 + float(x), PLAN_HIGH / 2 + float(y)

    def _cone(self, member: MemberAnswer, place: NDArray[np.float64], reach: float) -> None:
        camera = member.camera
        assert camera is not None
        ways = []
        for x in (0.0, float(camera.image.width)):
            centre = (camera.principal_point or (camera.image.width / 2, 0))[0]
            seen = np.array([(x - centre) / camera.focal_px, 0.0, 1.0]) @ np.array(camera.rotation)
            ways.append(self.turn @ seen[:2] / max(float(np.linalg.norm(seen[:2])), 1e-9))
        path = self.canv.beginPath()
        path.moveTo(*self._at(place))
        for way in ways:
            path.lineTo(*self._at(place + way * reach))
        path.close()
        self.canv.setFillColor(FOUND, alpha=0.08)
        self.canv.setStrokeColor(FOUND, alpha=0.5)
        self.canv.setLineWidth(0.5)
        self.canv.drawPath(path, stroke=1, fill=1)

    def _legend(self, canvas: Any) -> None:
        """A bar of whole metres, and which way north lies."""
        steps = (0.1, 0.2, 0.5, 1, 2, 5, 10, 20, 50, 100, 200, 500)
        bar = max((one for one in steps if one * self.scale < 90), default=steps[0])
        canvas.setStrokeColor(INK)
        canvas.setLineWidth(1.2)
        canvas.line(8, 10, 8 + bar * self.scale, 10)
        canvas.setFont(PLAIN, 7.5)
        canvas.drawString(8, 14, f"{bar:g} m")
        if self.answer.survey_heading_deg is not None:
            canvas.line(WIDTH - 14, PLAN_HIGH - 30, WIDTH - 14, PLAN_HIGH - 12)
            canvas.line(WIDTH - 14, PLAN_HIGH - 12, WIDTH - 17, PLAN_HIGH - 17)
            canvas.line(WIDTH - 14, PLAN_HIGH - 12, WIDTH - 11, PLAN_HIGH - 17)
            canvas.drawRightString(WIDTH - 20, PLAN_HIGH - 18, "north")
        else:
            canvas.drawRightString(WIDTH - 8, 10, "x to the right, y up, as in the first photograph")
