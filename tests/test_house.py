"""The house keeps its rooms: what import contracts can't say, read from the syntax tree."""

import ast
from collections import Counter
from collections.abc import Iterator
from functools import cache
from pathlib import Path

import pytest

ROOT = Path(__file__).parent.parent / "rulka"
FILES = [path for path in sorted(ROOT.rglob("*.py")) if "migrations" not in path.parts]

LINES = {
    "Balance",
    "BalanceChangeChunk",
    "BalanceChunk",
    "BudgetLine",
    "JournalEntry",
    "JournalLine",
    "JournalLineFormer",
    "PostingKey",
}
"""Models that hold figures, or what leads to them."""


def place(path: Path) -> str:
    return path.relative_to(ROOT).as_posix()


@cache
def tree_of(path: Path) -> ast.Module:
    """A file's syntax tree, parsed once."""
    return ast.parse(path.read_text())


def named(tree: ast.AST) -> Iterator[str]:
    """All names a module imports, uses or takes as an attribute."""
    for node in ast.walk(tree):
        if isinstance(node, ast.ImportFrom):
            yield from (alias.name for alias in node.names)
        elif isinstance(node, ast.Name):
            yield node.id
        elif isinstance(node, ast.Attribute):
            yield node.attr


@cache
def names_in(path: Path) -> frozenset[str]:
    """All names of a file, read once."""
    return frozenset(named(tree_of(path)))


def offenders(names: set[str], *homes: str) -> dict[str, set[str]]:
    """The files outside of some rooms that name any of these."""
    found = {place(path): names & names_in(path) for path in FILES if not place(path).startswith(homes)}
    return {path: hits for path, hits in found.items() if hits}


def test_only_views_reach_a_book():
    assert offenders({"Book"}, "core/books/book.py", "ledger/reading/queries.py", "ledger/reading/history.py") == {}
    assert offenders({"_book", "_book_of", "_book_at"}, "core/books/book.py", "ledger/reading/") == {}
    kinds = {"JournalReader", "NoJournal", "LineReader"}
    assert offenders(kinds, "core/books/", "ledger/reading/") == {}


def test_a_view_hands_out_no_book():
    tree = ast.parse((ROOT / "core/books/book.py").read_text())
    view = next(node for node in tree.body if isinstance(node, ast.ClassDef) and node.name == "View")
    public = [node for node in view.body if isinstance(node, ast.FunctionDef) and (not node.name.startswith("_"))]
    assert public and not [node.name for node in public if node.returns and "Book" in ast.unparse(node.returns)]


def test_only_reading_and_loading_know_the_tables_of_lines():
    assert offenders(LINES, "ledger/reading/", "ledger/loading/", "ledger/models.py") == {}


def test_only_reading_and_loading_write_sql():
    rooms = ("ledger/reading/", "ledger/loading/", "work/", "ledger/models.py")
    assert offenders({"cursor", "RawSQL", "executemany"}, *rooms) == {}


def test_models_of_another_app_are_types_only():
    found = []
    for path in FILES:
        tree, house = tree_of(path), place(path).split("/")[0]
        foreign = {
            alias.asname or alias.name
            for node in ast.walk(tree)
            if isinstance(node, ast.ImportFrom) and node.module and node.module.endswith(".models")
            if node.module.startswith("rulka.") and node.module.split(".")[1] != house
            for alias in node.names
        }
        for node in ast.walk(tree):
            if isinstance(node, ast.Attribute) and node.attr == "objects" and isinstance(node.value, ast.Name):
                found += [f"{place(path)}: {node.value.id}"] if node.value.id in foreign else []
    assert found == []


def test_requests_stay_in_pages():
    names = {"HttpRequest", "QueryDict", "request", "POST"}
    homes = [place(path) for path in FILES if "pages" in path.relative_to(ROOT).parts]
    assert offenders(names, *homes, "screen.py", "web/middleware.py", "web/shell.py", "ledger/seat.py") == {}


def test_pages_are_dataclasses_that_name_their_templates():
    """No dictionary is merged into a context: `screen.py` shows a dataclass, the middleware what was refused or broke
    before a page knew what it is."""
    rooms = ("screen.py", "web/middleware.py", "people/templatetags/screens.py")
    shown = [place(path) for path in FILES if {"render", "render_to_string"} & imported(path)]
    assert [path for path in shown if not path.startswith(rooms)] == ["overviews/output/making.py"]  # it makes a file


def imported(path: Path) -> set[str]:
    """The names that a file imports from elsewhere."""
    found = [node for node in ast.walk(tree_of(path)) if isinstance(node, ast.ImportFrom)]
    return {alias.name for node in found for alias in node.names}


def test_every_screen_is_frozen_and_its_template_is_there():
    from rulka.screen import Screen

    found = {
        ast.literal_eval(node.value)
        for path in FILES
        for kind in tree_of(path).body
        if isinstance(kind, ast.ClassDef)
        for node in kind.body
        if isinstance(node, ast.Assign) and ast.unparse(node.targets[0]) == "html"
    }
    assert len(found) > 90
    missing = [html for html in found if not list(ROOT.glob(f"*/templates/{html}"))]
    assert missing == [] and Screen.__dataclass_params__.frozen


def test_no_line_of_a_template_is_longer_than_a_screen_is_wide():
    pages = sorted(ROOT.glob("*/templates/**/*.html"))
    assert len(pages) > 150
    long = [
        f"{place(page)}:{number}"
        for page in pages
        for number, line in enumerate(page.read_text().splitlines(), 1)
        if len(line) > 160
    ]
    assert long == []


def test_definitions_are_opened_for_a_person():
    """Pages and outputs find statements through `opening`, which asks for rights; only commands may do without."""
    homes = ("statements/library/", "statements/management/", "statements/editing/edit.py")
    assert offenders({"find_definition", "definitions_of"}, *homes) == {}


def test_one_place_opens_connections_to_other_servers():
    assert offenders({"Client", "HTTPTransport", "urlopen", "create_connection"}, "formats/intake/outside.py") == {}


def test_values_from_outside_have_one_reader():
    """`isdigit` takes other scripts' digits, and `int` thousands of them."""
    homes = ("core/books/calendar.py", "work/services/loads.py", "formats/output/row_sheet.py")
    assert offenders({"isdigit", "isdecimal", "isnumeric"}, *homes) == {}


def test_loads_and_outputs_are_written_by_work_alone():
    found = []
    for path in FILES:
        if place(path).startswith("work/"):
            continue
        for node in ast.walk(tree_of(path)):
            if isinstance(node, ast.Attribute) and node.attr in ("save", "delete", "update", "create"):
                owner = ast.unparse(node.value)
                found += [place(path)] if owner.split(".")[0] in ("Load", "Output", "load", "output", "job") else []
    assert found == []


def test_the_core_stands_in_rooms():
    assert len([path for path in (ROOT / "core").glob("*.py") if path.name != "__init__.py"]) <= 6


@pytest.mark.parametrize("word", ["utils", "helpers", "manager", "misc", "common"])
def test_no_room_is_a_heap(word):
    assert [place(path) for path in FILES if path.stem == word and "pages" not in path.parts] == []


LONG = {
    "intake/blocks.py: _checked", "sheet/calculating.py: __init__", "sheet/number_format.py: _written_number",
    "refill/checking.py: _held_against",
}  # fmt: skip
"""Functions over forty lines that are left; the list gets shorter, never longer."""


def test_functions_fit_one_screen_but_for_those_left():
    found = set()
    whole = (ROOT.parent / name for name in ("rulka", "tests", "demo", "bench", "standins", "docs"))
    for path in sorted(path for folder in whole for path in folder.rglob("*.py")):
        for node in ast.walk(tree_of(path)):
            if isinstance(node, ast.FunctionDef) and (node.end_lineno or 0) - node.lineno + 1 > 40:
                found.add(f"{path.parent.name}/{path.name}: {node.name}")
    assert found == LONG


VAGUE = {"at", "found", "one", "told", "kept", "place"}
"""Names that say little: where several stand together, or one is given two things, a reader has to look twice."""


def test_names_that_say_little_dont_crowd_one_function():
    crowded = []
    for path in sorted(ROOT.rglob("*.py")):
        for node in ast.walk(tree_of(path)):
            if isinstance(node, ast.FunctionDef) and "migrations" not in path.parts:
                bound = Counter(
                    name.id for name in ast.walk(node) if isinstance(name, ast.Name) and isinstance(name.ctx, ast.Store)
                )
                bound.update(argument.arg for argument in [*node.args.args, *node.args.kwonlyargs])
                vague = VAGUE & set(bound)
                if len(vague) + sum(bound[name] > 1 for name in vague) > 4:
                    crowded.append(f"{path.relative_to(ROOT)}: {node.name}, {', '.join(sorted(vague))}")
    assert crowded == []
