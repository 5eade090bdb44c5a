"""The commands that look after what is kept and who may see it (docs/studio.md)."""

from __future__ import annotations

import sys
from pathlib import Path

import click

from lithopos.cli_shared import DATA, print_answer, refuse_no_folder
from lithopos.core.errors import InputError

__all__ = ["STUDIO"]


@click.command()
@click.argument("to", type=click.Path(path_type=Path))
@click.option("--data", type=click.Path(path_type=Path), default=DATA)
def backup(to: Path, data: Path) -> None:
    """Copy everything kept into a new folder, also while Lithopos runs."""
    from lithopos.library.backup import backup as copy

    print_answer(copy(data, to))


@click.command()
@click.argument("from", type=click.Path(path_type=Path))
@click.option("--data", type=click.Path(path_type=Path), default=DATA, help="A new folder.")
def restore(data: Path, **told: Path) -> None:
    """Make a library of a backup."""
    from lithopos.library.backup import restore as back

    print_answer(back(told["from"], data))


@click.command()
@click.option("--data", type=click.Path(path_type=Path), default=DATA)
def check(data: Path) -> None:
    """Look at everything kept: contents, references, revisions, pictures. Ends with 1 if something is wrong."""
    from lithopos.library.check import check as look

    found = look(data)
    print_answer(found.told())
    sys.exit(1 if found.problems else 0)


@click.command()
@click.option("--data", type=click.Path(path_type=Path), default=DATA)
@click.option("--yes", is_flag=True, help="Remove it; without this it is only said.")
def tidy(data: Path, yes: bool) -> None:
    """Say what nothing refers to any more; with --yes remove it."""
    from lithopos.library.check import check as look
    from lithopos.library.check import tidy as remove

    orphans = remove(data) if yes else look(data).orphans
    told = [{"place": str(one.place), "why": one.why, "bytes": one.size_bytes} for one in orphans]
    print_answer({"removed" if yes else "would be removed": told, "bytes": sum(one.size_bytes for one in orphans)})


@click.group()
def project() -> None:
    """A project as one file."""


@project.command("out")
@click.argument("name")
@click.argument("file", type=click.Path(path_type=Path))
@click.option("--data", type=click.Path(path_type=Path), default=DATA)
def project_out(name: str, file: Path, data: Path) -> None:
    """Write a project, by its name or identity, with all that belongs to it."""
    from lithopos.core.exchange.picture import write_atomically
    from lithopos.library.archive import write_project
    from lithopos.library.store import Library

    refuse_no_folder("FILE", file)
    library = Library(data)
    named = [one for one in library.projects() if name in (one.id, one.name)]
    if len(named) != 1:
        raise InputError("NAME", f"{name[:80]!r} is {'no project' if not named else 'the name of several projects'}")
    write_atomically(file, lambda out: write_project(library, named[0].id, out))
    print_answer({"project": named[0].id, "bytes": file.stat().st_size})


@project.command("in")
@click.argument("file", type=click.Path(path_type=Path))
@click.option("--data", type=click.Path(path_type=Path), default=DATA)
def project_in(file: Path, data: Path) -> None:
    """Take a project in, as a new one."""
    from lithopos.library.archive import read_project
    from lithopos.library.store import Library

    try:
        with file.open("rb") as source:
            told = read_project(Library(data), source)
    except OSError as error:
        raise InputError("FILE", f"{file} can't be read: {error.strerror}") from error
    print_answer({"project": told.id, "name": told.name})


@click.group()
def keys() -> None:
    """Keys for a studio: one a person."""


_KEYS = click.option("--file", required=True, type=click.Path(path_type=Path), help="The file of keys.")


@keys.command("add")
@click.argument("name")
@_KEYS
@click.option("--look", is_flag=True, help="It may look, not change: for clients.")
def keys_add(name: str, file: Path, look: bool) -> None:
    """Make a key; it is printed this once, and kept as a hash."""
    from lithopos.web.keys import add_key

    print_answer(
        {"name": name, "may": "look" if look else "change", "key": add_key(file, name, "look" if look else "change")}
    )


@keys.command("list")
@_KEYS
def keys_list(file: Path) -> None:
    """Tell whose keys there are."""
    from lithopos.web.keys import keys_in

    print_answer([{"name": one.name, "may": one.may} for one in keys_in(file)])


@keys.command("remove")
@click.argument("name")
@_KEYS
def keys_remove(name: str, file: Path) -> None:
    """Strike out a key; its owner is signed out at once."""
    from lithopos.web.keys import remove_key

    remove_key(file, name)
    print_answer({"removed": name})


STUDIO = (backup, restore, check, tidy, project, keys)
