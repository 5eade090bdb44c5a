"""The command line: a contract that scripts depend on (docs/command-line.md)."""

from __future__ import annotations

import json
import math
import os
import shutil
import sys
import tempfile
from collections.abc import Callable, Iterator
from dataclasses import replace
from functools import partial, wraps
from pathlib import Path
from typing import TYPE_CHECKING, Any, NoReturn, TypeVar

import click
from pydantic import BaseModel, ValidationError

from lithopos import __version__
from lithopos.cli_shared import DATA, print_answer, refuse_no_folder
from lithopos.cli_studio import STUDIO
from lithopos.core.errors import InputError, LithoposError, NoAnswer, NoRoom, input_error_from

if TYPE_CHECKING:  # what the commands load when they have need of it
    from lithopos.cluster.address import Cluster
    from lithopos.core.deliver.finished import Finished
    from lithopos.core.deliver.handover import OnPage
    from lithopos.core.exchange.bundle import OpenShot
    from lithopos.core.footage.frame_files import Wanted
    from lithopos.core.footage.written import Codec
    from lithopos.core.render.finished import Readers
    from lithopos.core.render.render import Quality, Step
    from lithopos.core.shot import Shot

Asked = TypeVar("Asked", bound=BaseModel)


def main() -> None:
    """Run the command line: 0 is well, 2 is bad input with one line, 1 is our own failure."""
    try:
        status = cli.main(standalone_mode=False)
        sys.stdout.flush()
    except (InputError, NoRoom) as error:
        _end(2 if isinstance(error, InputError) else 1, str(error))
    except click.ClickException as error:
        _end(2, " ".join(error.format_message().split()))
    except click.Abort:
        _end(1, "stopped")
    except LithoposError as error:
        _end(1, str(error))
    except BrokenPipeError:
        os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())
        sys.exit(0)
    except Exception as error:  # the edge of the program: one line, not a traceback
        _end(1, f"internal failure: {type(error).__name__}: {error}")
    sys.exit(status if isinstance(status, int) else 0)


def _end(status: int, line: str) -> NoReturn:
    print(" ".join(line.split()), file=sys.stderr)  # names of files may hold line breaks
    sys.exit(status)


def _read_json(file: str) -> Any:
    try:
        text = sys.stdin.read() if file == "-" else Path(file).read_text()
        return json.loads(text, parse_constant=_no_constant)
    except OSError as error:
        raise InputError("FILE", f"{file} can't be read: {error.strerror}") from error
    except RecursionError as error:
        raise InputError("FILE", "is nested too deep") from error
    except ValueError as error:  # not UTF-8, not JSON, or an integer of thousands of digits
        raise InputError("FILE", f"is not JSON: {str(error).splitlines()[0]}") from error


def _no_constant(name: str) -> NoReturn:
    raise InputError("FILE", f"holds {name}, which is not a number")


class _Figure(click.FloatRange):
    """A number within a range; `nan` is none."""

    def convert(self, value: Any, param: click.Parameter | None, ctx: click.Context | None) -> Any:
        number = super().convert(value, param, ctx)
        if number is not None and not math.isfinite(number):
            self.fail(f"{value} is not a number", param, ctx)
        return number


@click.group()
@click.version_option(__version__)
def cli() -> None:
    """Stand a 3D model in a photograph."""


for _command in STUDIO:
    cli.add_command(_command)


@cli.command()
@click.argument("file")
@click.option("--batch", is_flag=True, help="FILE holds a list of cases; print a list of answers.")
def camera(file: str, batch: bool) -> None:
    """Solve a camera from marked edges."""
    data = _read_json(file)
    if not batch:
        print_answer(_solved_camera(data))
        return
    if not isinstance(data, list):
        raise InputError("FILE", "with --batch is a list of cases")
    answers = []
    for case in data:
        try:
            answers.append(_solved_camera(case))
        except InputError as error:
            answers.append({"error": str(error)})
    print_answer(answers)


def _solved_camera(data: Any) -> dict[str, Any]:
    from lithopos.core.camera.problem import CameraProblem
    from lithopos.core.camera.solve import solve_camera

    answer = solve_camera(_valid(CameraProblem, data))
    if isinstance(answer, NoAnswer):
        raise InputError("lines", f"no camera: {answer.reason}")
    return answer.model_dump(mode="json", exclude={"image"}) | {"image": answer.image.model_dump()}


@cli.command()
@click.argument("photo", type=click.Path(path_type=Path))
def edges(photo: Path) -> None:
    """Propose edges of a photograph and their runs."""
    from lithopos.core.reading.ask import find_edges_of

    if not photo.is_file():
        raise InputError("PHOTO", f"{photo} is not a file")
    found = find_edges_of(photo)
    print(found.reason or f"{len(found.lines)} edges proposed", file=sys.stderr)
    print_answer(found.model_dump(mode="json", exclude={"segments"}))


@cli.command()
@click.argument("file")
def sun(file: str) -> None:
    """Solve the sun's direction from gnomons."""
    from lithopos.core.light.sun import SunProblem, solve_sun

    answer = solve_sun(_valid(SunProblem, _read_json(file)))
    if isinstance(answer, NoAnswer):
        raise InputError("gnomons", answer.reason)
    print_answer(answer.model_dump(mode="json"))


def _valid(kind: type[Asked], data: Any) -> Asked:
    try:
        return kind.model_validate(data)
    except ValidationError as error:
        raise input_error_from(error) from error


@cli.command()
@click.argument("model", type=click.Path(path_type=Path))
def inspect(model: Path) -> None:
    """Tell what is in a model file (size in metres, triangles, parts, materials)."""
    from lithopos.core.reading.ask import inspect_file

    if not model.is_file():
        raise InputError("MODEL", f"{model} is not a file")
    told = inspect_file(model)
    if told["kind"] != "model":
        raise InputError("MODEL", f"{model.name} is a {told['kind']}, not a model")
    print_answer(told)


@cli.command()
@click.argument("shot", type=click.Path(path_type=Path))
@click.option("-o", "--out", required=True, type=click.Path(path_type=Path), help="The PNG to write.")
@click.option("--quality", type=click.Choice(["proof", "master"]), default="proof", show_default=True)
@click.option("--scale", type=_Figure(0.01, 4), help="Of the photograph's size.")
@click.option("--samples", type=click.IntRange(1, 65536), help="Samples a pixel.")
@click.option("--seed", type=click.IntRange(0, 10**9), default=0, show_default=True)
@click.option(
    "--pass",
    "shown",
    type=click.Choice(["beauty", "shadow", "added", "model", "front", "depth", "normal", "objects", "materials"]),
    default="beauty",
    help="Which picture to write: the finished one, or one of the passes that it is put together from.",
)
@click.option("--option", help="An option of the shot, by its name; without it the shot itself.")
def render(
    shot: Path,
    out: Path,
    quality: str,
    scale: float | None,
    samples: int | None,
    seed: int,
    shown: str,
    option: str | None,
) -> None:
    """Render a shot file or bundle to a PNG."""
    from lithopos.core.composite.passes import pass_picture, read_passes
    from lithopos.core.deliver.framed import framed_picture
    from lithopos.core.exchange.bundle import open_shot
    from lithopos.core.exchange.picture import write_pass, write_png

    _refuse_unwritable(out)
    with open_shot(shot) as opened, tempfile.TemporaryDirectory() as folder:
        opened = replace(opened, shot=_option_of(opened.shot, option)[0])
        passes = None if shown == "beauty" else Path(folder)
        step = None
        for step in _rendered(opened, "master" if quality == "master" else "proof", scale, samples, seed, passes):
            _show_progress(step.done, step.of, step.seconds_left)
        assert step is not None and step.picture is not None
        if shown == "beauty":
            write_png(framed_picture(step.picture, opened.shot), out)
        else:
            write_pass(pass_picture(shown, read_passes(Path(folder)), step.picture.codes.shape[:2]), out)
    for note in step.notes:
        print(note, file=sys.stderr)
    cut = f"(stray bright pixels of the ground cut: {step.cut})" if step.cut else ""
    print(f"{out} written", cut, file=sys.stderr)


def _readers(opened: OpenShot) -> Readers:
    """What reads a shot's models, graphics and panoramas by their names."""
    from lithopos.core.blend.lut import read_lut
    from lithopos.core.reading.ask import read_graphic, read_model, read_panorama, read_picture
    from lithopos.core.render.finished import Readers

    return Readers(
        lambda name: read_model(opened.find(name)),
        lambda name, time_s: read_graphic(opened.find(name), time_s),
        lambda name: read_panorama(opened.find(name)),
        lambda name: read_lut(opened.find(name).read_bytes()),
        lambda name: read_picture(opened.find(name)),
    )


def _rendered(
    opened: OpenShot, quality: Quality, scale: float | None, samples: int | None, seed: int, passes: Path | None
) -> Iterator[Step]:
    """A shot's render step by step, its files read as they are named."""
    from lithopos.core.light.photometry import read_photometry
    from lithopos.core.place.near_lights import with_photometry
    from lithopos.core.reading.ask import read_picture
    from lithopos.core.render.render import refuse_too_large, render_shot

    photograph = opened.shot.photograph
    if photograph is None:
        raise InputError("photograph", "is missing: a shot begins with one")
    if scale is not None:
        refuse_too_large(photograph.width, photograph.height, scale)
    readers = _readers(opened)
    yield from render_shot(
        with_photometry(opened.shot, lambda name: read_photometry(opened.find(name).read_bytes())),
        read_picture(opened.find(photograph.file)),
        readers.model,
        quality=quality,
        scale=scale,
        samples=samples,
        seed=seed,
        read_graphic=readers.graphic,
        read_panorama=readers.panorama,
        read_lut=readers.lut,
        read_photograph=readers.photograph,
        passes=passes,
    )


@cli.command()
@click.argument("shot", type=click.Path(path_type=Path))
@click.option("--to", "folder", required=True, type=click.Path(path_type=Path), help="The folder to write to.")
@click.option("--recipe", type=click.Path(path_type=Path), help="What to make, as JSON; without it what the shot says.")
@click.option("--samples", type=click.IntRange(1, 65536), help="Samples a pixel.")
@click.option("--seed", type=click.IntRange(0, 10**9), default=0, show_default=True)
@click.option("--option", "options", multiple=True, help="An option of the shot, by its name; may be given again.")
@click.option("--all-options", is_flag=True, help="The shot itself and all its options.")
def deliver(
    shot: Path,
    folder: Path,
    recipe: Path | None,
    samples: int | None,
    seed: int,
    options: tuple[str, ...],
    all_options: bool,
) -> None:
    """Make everything that a recipe names of a shot; nothing is overwritten. Prints the files as JSON."""
    from lithopos.core.deliver.framed import framed_picture
    from lithopos.core.deliver.handover import OnPage
    from lithopos.core.deliver.make import deliver as make
    from lithopos.core.deliver.make import plan_of, refuse_unwritable
    from lithopos.core.deliver.names import scale_needed
    from lithopos.core.exchange.bundle import OpenShot, open_shot

    with open_shot(shot) as opened:
        if options and all_options:
            raise InputError("--all-options", "makes every option; leave out --option")
        whole = opened.shot if recipe is None else _by_recipe(opened.shot, recipe)
        names: list[str | None] = [None, *(one.id for one in whole.options)] if all_options else [*options] or [None]
        chosen = [_option_of(whole, name) for name in names]
        photograph = whole.photograph
        if photograph is None:
            raise InputError("photograph", "is missing: a shot begins with one")
        files = [one for one in whole.deliverables if not (one.hidden or one.of_take)]
        framing = whole.frame or photograph
        scale = scale_needed(files, framing.width, framing.height, whole.output.scale)
        plan = plan_of(whole, scale)
        refuse_unwritable(folder)
        told: list[dict[str, Any]] = []
        on_page: list[OnPage] = []

        for number, (wanted, option, called) in enumerate(chosen, 1):
            words = {"project": shot.stem, "shot": wanted.name or photograph.name, "option": called}
            with tempfile.TemporaryDirectory() as passes:
                done = _finished(OpenShot(wanted, opened.find), scale, samples, seed, Path(passes))
                # All options are on one page, which is made with the last one.
                now = [one for one in plan if number == len(chosen) or not one.of.is_page]
                pages = partial(_on_page, on_page, option)
                made = list(make(wanted, done, now, folder, words, pages=pages))
                names_made = tuple(path.name for path in made)
                picture = framed_picture(done.picture, wanted)
                on_page.append(OnPage(option, called or wanted.name, picture, files=names_made))
                told += [
                    {"name": str(path), "width": one.width, "height": one.height, "kind": one.of.kind}
                    for path, one in zip(made, now, strict=True)
                ]
    print_answer({"files": told})


def _on_page(before: list[OnPage], option: str | None, this: OnPage) -> list[OnPage]:
    """What a page shows: the options before, and this one."""
    return [*before, replace(this, option=option)]


def _finished(opened: OpenShot, scale: float, samples: int | None, seed: int, passes: Path) -> Finished:
    """A shot's master, rendered."""
    from lithopos.core.reading.ask import notes_of, read_picture
    from lithopos.core.render.finished import finished

    step = None
    for step in _rendered(opened, "master", scale, samples, seed, passes):
        _show_progress(step.done, step.of, step.seconds_left)
    assert step is not None and step.picture is not None and opened.shot.photograph
    for note in step.notes:
        print(note, file=sys.stderr)
    place = opened.find(opened.shot.photograph.file)
    return finished(opened.shot, read_picture(place), step.picture, passes, notes_of(place), _readers(opened))


@cli.command()
@click.argument("shot", type=click.Path(path_type=Path))
@click.option("-o", "--out", required=True, type=click.Path(path_type=Path), help="A film, or a folder for pictures.")
@click.option("--codec", type=click.Choice(["av1", "vp9", "ffv1"]), help="Default: AV1; in .mkv the lossless FFV1.")
@click.option("--quality", type=click.IntRange(1, 100), default=80, show_default=True, help="Of AV1 and VP9.")
@click.option(
    "--pictures", type=click.Choice(["picture", "model", "exr"]), multiple=True, help="What to put in a folder."
)
@click.option("--scale", type=_Figure(0.05, 2), help="Of the take's size; default: as the shot says.")
@click.option("--samples", type=click.IntRange(1, 65536), help="Samples a pixel.")
@click.option("--seed", type=click.IntRange(0, 10**9), default=0, show_default=True)
@click.option("--no-sound", is_flag=True, help="Leave the take's sound out.")
@click.option("--option", help="An option of the shot, by its name; without it the shot itself.")
def footage(
    shot: Path,
    out: Path,
    codec: Codec | None,
    quality: int,
    pictures: tuple[Wanted, ...],
    scale: float | None,
    samples: int | None,
    seed: int,
    no_sound: bool,
    option: str | None,
) -> None:
    """Render a take: a film, or numbered pictures.

    What is done is kept beside OUT until all of it is there: called again, it goes on.
    """
    from lithopos.core.exchange.bundle import open_shot
    from lithopos.core.footage.asked import film_times, take_notes_of
    from lithopos.core.footage.make import FootageJob
    from lithopos.core.footage.put_out import put_film, put_pictures, refuse_unfit_place
    from lithopos.core.footage.written import Film

    film = None
    if out.suffix:
        film = Film(codec or ("ffv1" if out.suffix.lower() == ".mkv" else "av1"), quality, not no_sound)
    if film and pictures:
        raise InputError("--pictures", "go into a folder; --out names a film")
    with open_shot(shot) as opened:
        wanted = _option_of(opened.shot, option)[0]
        if wanted.take is None:
            raise InputError("take", "is missing: the shot is of a photograph; `lithopos render` renders it")
        path = opened.find(wanted.take.file)
        notes = take_notes_of(path)
        refuse_unfit_place(out, film, notes)
        kept = out.parent / f".{out.name}.parts"
        job = FootageJob(
            wanted,
            path,
            notes,
            _readers(opened),
            kept,
            scale=scale or wanted.output.scale,
            samples=samples,
            seed=seed,
            wants=("picture",) if film else pictures or ("picture",),
            films=film_times(wanted, opened.find),
        )
        said: set[str] = set()
        for step in job.run():
            _show_progress(step.done, step.of, step.seconds_left or 0.0)
            for note in step.notes:
                if note not in said:
                    print(note, file=sys.stderr)
                    said.add(note)
        if film:
            put_film(job, out, film)
        else:
            put_pictures(job, out)
    shutil.rmtree(kept, ignore_errors=True)
    print(f"{out} written", file=sys.stderr)


def _option_of(shot: Shot, option: str | None) -> tuple[Shot, str | None, str]:
    """An option of a shot by its name or id, as a shot, with both; the shot itself where none is asked for."""
    from lithopos.core.shot import load_shot
    from lithopos.core.shot.option import optioned

    if option is None:
        return shot, None, ""
    found = next((one for one in shot.options if option in (one.id, one.name)), None)
    if found is None:
        known = ", ".join(one.name or one.id for one in shot.options) or "none"
        raise InputError("--option", f"{option!r} is no option of this shot; it has: {known}")
    document = shot.model_dump(mode="json", by_alias=True)
    return load_shot(optioned(document, found.difference)), found.id, found.name or found.id


def _by_recipe(shot: Shot, recipe: Path) -> Shot:
    """A shot with what a recipe says in place of its own: `deliverables` (their ids may be left out) and `output`."""
    from lithopos.core.shot import load_shot

    told = _read_json(str(recipe))
    if not isinstance(told, dict) or not told.keys() <= {"deliverables", "output"}:
        raise InputError("--recipe", "holds deliverables and output, and nothing else")
    files = told.get("deliverables", [])
    if isinstance(files, list):
        told["deliverables"] = [
            {"id": f"d{n}", **one} if isinstance(one, dict) else one for n, one in enumerate(files, 1)
        ]
    document = shot.model_dump(mode="json", by_alias=True)
    output = {**document["output"], **told["output"]} if isinstance(told.get("output"), dict) else document["output"]
    return load_shot({**document, **told, "output": output})


@cli.command()
@click.argument("shot", type=click.Path(path_type=Path))
def sharpen(shot: Path) -> None:
    """Print a shot with its hand-drawn marks refined on the photograph."""
    from lithopos.core.exchange.bundle import open_shot
    from lithopos.core.reading.ask import read_picture
    from lithopos.core.readings import READ, Sources, with_readings
    from lithopos.core.shot.change import changed

    with open_shot(shot) as opened:
        photograph = opened.shot.photograph
        if photograph is None:
            raise InputError("photograph", "is missing: a shot begins with one")
        picture = read_picture(opened.find(photograph.file))
        document = opened.shot.model_dump(mode="json", by_alias=True)
        drawn = {name: document.pop(name) for name in READ}
        document = changed(document, with_readings(document, drawn, Sources(lambda _: picture)))
    print_answer(document)


def _refuse_unwritable(out: Path) -> None:
    """Say before anything is rendered that the picture could not be written."""
    if out.suffix.lower() != ".png":
        raise InputError("--out", "ends in .png: other formats are not written in this version")
    try:
        if out.is_dir():
            raise InputError("--out", f"{out} is a folder")
        if not out.parent.is_dir():
            raise InputError("--out", f"{out.parent} is not a folder")
        if out.exists() and not os.access(out, os.W_OK):
            raise InputError("--out", f"{out} can't be written to")
        with tempfile.TemporaryFile(dir=out.parent):
            pass
    except OSError as error:
        raise InputError("--out", f"{out.name[:80]} can't be written: {error.strerror}") from error


def _show_progress(number: int, of: int, seconds_left: float) -> None:
    if sys.stderr.isatty():
        bar = "█" * round(24 * number / of)
        end = "\n" if number == of else ""
        print(
            f"\r{bar:<24} pass {number} of {of}, about {seconds_left:.0f} s left ",
            end=end,
            file=sys.stderr,
            flush=True,
        )


@cli.command()
@click.argument("file", type=click.Path(path_type=Path))
@click.option("--sheet", type=click.Path(path_type=Path), help="Write the verification sheet (PDF), too.")
@click.option("--shots", "folder", type=click.Path(path_type=Path), help="Write the shots as the site makes them here.")
def site(file: Path, sheet: Path | None, folder: Path | None) -> None:
    """Solve the cameras of several photographs of one place together. Prints all that is known as JSON."""
    from contextlib import ExitStack
    from datetime import date

    from lithopos.core.derive import derive
    from lithopos.core.exchange.bundle import open_shot
    from lithopos.core.reading.ask import read_picture
    from lithopos.core.site import load_site
    from lithopos.core.site.settle import answered, in_site
    from lithopos.core.site.sheet import Pictured, write_sheet

    for option, out in (("--sheet", sheet), ("--shots", folder)):
        if out is not None:
            refuse_no_folder(option, out)
    told = load_site(_read_json(str(file)))
    for number, member in enumerate(told.members):
        if member.shot is None:
            raise InputError(f"members[{number}].shot", "is missing: the file of its shot")
    with ExitStack() as stack:
        opened = {}
        for member in told.members:
            opened[member.id] = stack.enter_context(open_shot(file.parent / (member.shot or "")))
        shots = {name: one.shot for name, one in opened.items()}
        answer = answered(told, shots)[0]
        together = in_site(told, shots)
        if folder is not None:
            folder.mkdir(exist_ok=True)
            places = {member.id: (file.parent / (member.shot or "")).resolve() for member in told.members}
            for name, shot in together.items():
                shot = _with_those_beside(shot, [shots[other] for other in shots if _found_by(places, name, other)])
                (folder / f"{name}.json").write_text(shot.model_dump_json(by_alias=True, indent=1) + "\n")
        if sheet is not None:
            pictures = {}
            for name, shot in together.items():
                photograph = shot.photograph
                picture = read_picture(opened[name].find(photograph.file)) if photograph else None
                pictures[name] = Pictured(shot, derive(shot), picture.eight_bit if picture else None)
            with sheet.open("wb") as target:
                write_sheet(told.name or file.stem, told, answer, pictures, date.today(), target)
    print_answer(answer.model_dump(mode="json"))


def _found_by(places: dict[str, Path], name: str, other: str) -> bool:
    """Whether a shot finds another one's photograph: files of a document lie in its own folder."""
    return places[name].suffix == places[other].suffix == ".json" and places[name].parent == places[other].parent


def _with_those_beside(shot: Shot, beside: list[Shot]) -> Shot:
    """A shot with only those of the site's other photographs that it finds."""
    if shot.site is None:
        return shot
    files = {other.photograph.file for other in beside if other.photograph}
    others = [one for one in shot.site.others if one.file in files]
    return shot.model_copy(update={"site": shot.site.model_copy(update={"others": others})})


@cli.command()
def schema() -> None:
    """Print the JSON Schema of the shot document."""
    from lithopos.core.shot import shot_schema

    print_answer(shot_schema())


@cli.command()
@click.option("--data", type=click.Path(path_type=Path), default=DATA)
def doctor(data: Path) -> None:
    """Tell what this machine can do."""
    from lithopos.core.render.engine import FAST, choose_variant, find_llvm
    from lithopos.library.store import Library

    place = data
    while not place.exists():
        place = place.parent
    variant = choose_variant()
    report = {
        "version": __version__,
        "renderer": {"variant": variant, "fast": variant == FAST, "llvm": find_llvm()},
        "denoiser": _denoiser_works(),
        "disk_free_gb": round(shutil.disk_usage(place).free / 2**30, 1),
        "chromium": shutil.which("chromium"),
        "data": str(data),
        "database": Library(data).revision() if (data / "library.db").exists() else "not made yet",
    }
    if variant != FAST:
        print(
            "the fast renderer needs LLVM 16 or newer (Debian: libllvm19); the slow one is used",
            file=sys.stderr,
        )
    print_answer(report)


def _denoiser_works() -> bool:
    import numpy as np
    import pyoidn

    return bool(np.isfinite(pyoidn.denoise(np.ones((8, 8, 3), np.float32), hdr=True)).all())


def _on_cluster(command: Callable[..., None]) -> Callable[..., None]:
    """Options that name a cluster; the command gets it as `on`, None where none is named."""

    @click.option("--cluster", help="Address of a cluster's scheduler, to which what is traced is handed.")
    @click.option("--tls-ca", help="Of a cluster on other machines: the authority's certificate,")
    @click.option("--tls-cert", help="this machine's certificate,")
    @click.option("--tls-key", help="and its key.")
    @wraps(command)
    def named(
        cluster: str | None, tls_ca: str | None, tls_cert: str | None, tls_key: str | None, **others: object
    ) -> None:
        from lithopos.cluster.address import Cluster, refuse_open

        on = Cluster(cluster, tls_ca, tls_cert, tls_key) if cluster else None
        if on:
            refuse_open(on)
        command(on=on, **others)

    return named


@cli.command()
@click.option("--port", type=click.IntRange(0, 65535), default=8420, show_default=True)
@click.option("--data", type=click.Path(path_type=Path), default=DATA, help="Everything kept is below it.")
@_on_cluster
@click.option("--listen", default="127.0.0.1", show_default=True, help="Address to be reached at.")
@click.option("--keys", help="The file of keys; needed where others can reach it.")
@click.option("--host", "hosts", multiple=True, help="A name that it answers as; may be given again.")
@click.option("--behind-proxy", is_flag=True, help="A reverse proxy is in front, and tells by headers who asks.")
def serve(
    port: int,
    data: Path,
    on: Cluster | None,
    listen: str,
    keys: str | None,
    hosts: tuple[str, ...],
    behind_proxy: bool,
) -> None:
    """Start the application: web server and one worker."""
    from lithopos.jobs.supervisor import Reached
    from lithopos.jobs.supervisor import serve as run

    sys.exit(run(data, port, cluster=on, reached=Reached(listen, keys, hosts, behind_proxy)))


@cli.command()
@click.option("--workers", type=click.IntRange(1, 64), default=2, show_default=True)
@click.option("--port", type=click.IntRange(0, 65535), default=8786, show_default=True)
def cluster(workers: int, port: int) -> None:
    """Start a cluster on this machine, for trying one out."""
    from lithopos.cluster.local import run_cluster

    sys.exit(run_cluster(workers, port))


@cli.command()
@click.option("--port", type=click.IntRange(0, 65535), default=8420, show_default=True)
@click.option("--data", type=click.Path(path_type=Path), default=DATA.with_name("lithopos-demo"))
@click.option("--fresh", is_flag=True, help="Start from the sample project as it was shipped.")
def demo(port: int, data: Path, fresh: bool) -> None:
    """Start the application with the sample project in it."""
    from lithopos.jobs.supervisor import serve as run
    from lithopos.samples.demo import fill_demo

    address = fill_demo(data, fresh)
    sys.exit(run(data, port, address))


@cli.command()
@click.option("--data", type=click.Path(path_type=Path), default=DATA)
@_on_cluster
def worker(data: Path, on: Cluster | None) -> None:
    """Run one further worker."""
    from lithopos.jobs.worker import run

    run(data, on)


if __name__ == "__main__":
    main()
