"""The whole workspace into a file and a new installation from it: equal to the last digit, or refused with nothing there."""

import csv
import gzip
import hashlib
import io
import json
import os
import re
import sqlite3
import subprocess
import sys
import zipfile
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from neat_verdict.app.portable.cells import KINDS, cell_of, value_of
from neat_verdict.app.portable.contents import BLANKED, LEFT_OUT, tables
from neat_verdict.app.portable.reading import Package, PackageRefused, fill, look_into
from neat_verdict.app.portable.writing import write_package
from tests.app.conftest import TODAY

HERE = Path(__file__).parent
ROOT = HERE.parents[1]
SHOWN = """
import json, sys
from tests.app.old_database.open_it import pages, settings
from neat_verdict.app import clock
from neat_verdict.app.people.models import User
from tests.app.conftest import TODAY, Json
settings.ALLOWED_HOSTS = ["testserver"]
with clock.at(TODAY):
    json.dump(dict(pages(Json(User.objects.get(username="mona")))), sys.stdout)
"""
AWKWARD = 'Tidewick "Ferries",\r\nÅland; \r\\N'
# Table Schema (Data Package 2.0): the types that we use of those it has, from the standard as remembered.
TYPES = {"boolean", "integer", "number", "date", "datetime", "any", "string"}


def run(data, *command):
    env = {**os.environ, "NEAT_VERDICT_DATA": str(data), "DJANGO_SETTINGS_MODULE": "neat_verdict.app.config.settings"}
    return subprocess.run(
        [sys.executable, *command], cwd=ROOT, env=env, capture_output=True, text=True, timeout=300, check=False
    )


def manage(data, *words):
    done = run(data, "manage.py", *words)
    assert done.returncode == 0, done.stderr
    return done.stdout


def descriptor(file):
    with zipfile.ZipFile(file) as package:
        return json.loads(package.read("datapackage.json"))


def rows(file, table):
    with zipfile.ZipFile(file) as package:
        return list(csv.DictReader(io.StringIO(package.read(f"data/{table}.csv").decode(), newline="")))


@pytest.fixture(scope="module")
def place(tmp_path_factory):
    """An installation with what a workspace has (`old_database`, migrated), a picture, and events that were put away."""
    data = tmp_path_factory.mktemp("from")
    with sqlite3.connect(data / "neat-verdict.sqlite3") as database:
        database.executescript(gzip.decompress((HERE / "old_database/before_methods.sql.gz").read_bytes()).decode())
    manage(data, "migrate", "--verbosity", "0")
    with sqlite3.connect(data / "neat-verdict.sqlite3") as database:
        database.execute("UPDATE people_user SET password = 'md5$x$y', calendar = 'abc' WHERE username = 'mona'")
        database.execute("UPDATE experiments_experiment SET description = ?", (AWKWARD,))
    for name, content in (("media/pictures/1.png", b"\x89PNG"), ("events/day=2026-03-02/a.parquet", b"PAR1")):
        (data / name).parent.mkdir(parents=True)
        (data / name).write_bytes(content)
    return data


@pytest.fixture(scope="module")
def taken_out(place, tmp_path_factory):
    file = tmp_path_factory.mktemp("file") / "workspace.zip"
    manage(place, "export_workspace", str(file))
    return file


@pytest.fixture(scope="module")
def moved(taken_out, tmp_path_factory):
    data = tmp_path_factory.mktemp("to")
    said = manage(data, "import_workspace", str(taken_out))
    assert "2 files. Nobody has a password yet" in said
    return data


def test_what_comes_out_of_the_new_installation_is_what_went_in(taken_out, moved, place, tmp_path):
    again = tmp_path / "again.zip"
    manage(moved, "export_workspace", str(again))
    first, second = descriptor(taken_out), descriptor(again)
    assert first["resources"] == second["resources"]
    assert first["migrations"] == second["migrations"]
    # There is something to compare: definitions, tallies, looks, decisions, ledger.
    for table in (
        "experiments_experiment",
        "experiments_tally",
        "readings_storedlook",
        "experiments_ledgerentry",
        "people_user",
    ):
        assert len(rows(taken_out, table)) > 1, table
    for name in ("media/pictures/1.png", "events/day=2026-03-02/a.parquet"):
        assert (moved / name).read_bytes() == (place / name).read_bytes()


def test_it_shows_the_same_evidence_reports_and_ledgers(place, moved):
    shown = [run(data, "-c", SHOWN) for data in (place, moved)]
    assert shown[0].returncode == 0, shown[0].stderr
    assert len(json.loads(shown[0].stdout)) > 3
    assert json.loads(shown[0].stdout) == json.loads(shown[1].stdout)


def test_what_opens_doors_stays_behind(taken_out, moved):
    described = {one["name"]: one for one in descriptor(taken_out)["resources"]}
    assert not described.keys() & LEFT_OUT
    fields = {field["name"] for field in described["people_user"]["schema"]["fields"]}
    assert not fields & BLANKED["people_user"].keys()
    with sqlite3.connect(moved / "neat-verdict.sqlite3") as database:
        assert set(database.execute("SELECT password, calendar FROM people_user")) == {("!", None)}


def test_nobody_else_reads_the_file_or_the_database(taken_out, moved):
    for file in (taken_out, moved / "neat-verdict.sqlite3"):
        assert file.stat().st_mode & 0o777 == 0o600


def test_a_package_says_what_stands_in_it_as_the_standard_has_it(taken_out):
    described = descriptor(taken_out)
    assert described["$schema"] == "https://datapackage.org/profiles/2.0/datapackage.json"
    found = {one["name"]: one for one in described["resources"]}
    assert len(found) == len(described["resources"]) == len(tables()) + 2
    with zipfile.ZipFile(taken_out) as package:
        for name, one in found.items():
            content = package.read(one["path"])
            assert (len(content), f"sha256:{hashlib.sha256(content).hexdigest()}") == (one["bytes"], one["hash"])
            assert re.fullmatch(r"[a-z0-9._-]+", name)
            if one.get("type") != "table":
                continue
            schema = one["schema"]
            header = next(csv.reader(io.StringIO(content.decode())))
            assert header == [field["name"] for field in schema["fields"]]
            assert {field["type"] for field in schema["fields"]} <= TYPES
            assert (set(schema["primaryKey"]) <= set(header), schema["missingValues"]) == (True, ["\\N"])
            for key in schema.get("foreignKeys", ()):
                there = {field["name"] for field in found[key["reference"]["resource"]]["schema"]["fields"]}
                assert (set(key["fields"]) <= set(header), set(key["reference"]["fields"]) <= there) == (True, True)


def test_it_is_as_it_was_at_one_moment_whatever_is_written_meanwhile(place, tmp_path):
    database = place / "neat-verdict.sqlite3"
    seen = []

    def write_meanwhile(table):
        seen.append(table)
        if len(seen) == 2:
            with sqlite3.connect(database) as other:
                other.execute("UPDATE experiments_experiment SET description = 'meanwhile'")

    write_package(database, place, tmp_path / "w.zip", TODAY, write_meanwhile)
    with sqlite3.connect(database) as connection:
        after = set(connection.execute("SELECT description FROM experiments_experiment"))
        connection.execute("UPDATE experiments_experiment SET description = ?", (AWKWARD,))
    assert {one["description"] for one in rows(tmp_path / "w.zip", "experiments_experiment")} == {AWKWARD}
    assert (after, "experiments_experiment" in seen[2:]) == ({("meanwhile",)}, True)


def changed(file, into, change, tables=()):
    """The package with its descriptor changed, and tables: a function of rows each."""
    with zipfile.ZipFile(file) as package, zipfile.ZipFile(into, "w") as made:
        described = json.loads(package.read("datapackage.json"))
        change(described)
        for one in described["resources"]:
            content = package.read(one["path"])
            if one["name"] in dict(tables):
                lines = dict(tables)[one["name"]](list(csv.reader(io.StringIO(content.decode()))))
                text = io.StringIO(newline="")
                csv.writer(text).writerows(lines)
                content = text.getvalue().encode()
                one["hash"] = f"sha256:{hashlib.sha256(content).hexdigest()}"
            made.writestr(one["path"], content)
        made.writestr("datapackage.json", json.dumps(described))
    return into


def test_a_package_of_an_earlier_version_is_brought_to_this_one(taken_out, tmp_path):
    """As the version before links had kinds and secrets wrote it."""

    def earlier(described):
        described["migrations"]["reports"] = ["0001_initial"]
        (links,) = [one for one in described["resources"] if one["name"] == "reports_reportlink"]
        fields = links["schema"]["fields"]
        links["schema"]["fields"] = [field for field in fields if field["name"] not in ("kind", "secret")]

    def without(lines):
        kept = [at for at, name in enumerate(lines[0]) if name not in ("kind", "secret")]
        return [[line[at] for at in kept] for line in lines]

    data = tmp_path / "to"
    data.mkdir()
    manage(
        data,
        "import_workspace",
        str(changed(taken_out, tmp_path / "e.zip", earlier, {"reports_reportlink": without}.items())),
    )
    manage(data, "export_workspace", str(tmp_path / "again.zip"))
    links = rows(tmp_path / "again.zip", "reports_reportlink")
    assert [(one["kind"], one["secret"]) for one in links] == [("report", "\\N")] * len(
        rows(taken_out, "reports_reportlink")
    )
    assert len(links) > 0


def later(described):
    described["migrations"]["reports"].append("0099_not_yet")


def no_experiment(lines):
    return [lines[0]]


@pytest.mark.parametrize(
    ("change", "tables", "said"),
    [
        (later, (), "It was made by a later version, which has reports.0099_not_yet; upgrade this one first"),
        (
            lambda _: None,
            [("experiments_variant", no_experiment)],
            "refers to something in experiments_variant that is not there",
        ),
    ],
)
def test_a_package_that_does_not_fit_leaves_nothing_behind(taken_out, tmp_path, change, tables, said):
    data = tmp_path / "to"
    data.mkdir()
    done = run(data, "manage.py", "import_workspace", str(changed(taken_out, tmp_path / "wrong.zip", change, tables)))
    assert (done.returncode, done.stdout, said in done.stderr) == (1, "", True)
    assert not list(data.glob("neat-verdict.sqlite3*"))


def test_nothing_that_is_there_is_written_over(place, taken_out):
    done = run(place, "manage.py", "import_workspace", str(taken_out))
    assert (done.returncode, "is there already; a package makes a new installation" in done.stderr) == (1, True)
    done = run(place, "manage.py", "export_workspace", str(taken_out))
    assert (done.returncode, "is there already; name another file" in done.stderr) == (1, True)
    assert (place / "neat-verdict.sqlite3").stat().st_size > 100_000


def small(**changes):
    """A package with one table of one row; ``changes`` of what is said of it, or with `content` of the table."""
    content = changes.pop("content", "id,name\n1,Tidewick\n").encode()
    fields = [{"name": "id", "type": "integer"}, {"name": "name", "type": "string"}]
    table = {
        "name": "experiments_workspace", "type": "table", "path": "data/w.csv",
        "hash": f"sha256:{hashlib.sha256(content).hexdigest()}", "schema": {"fields": fields},
    }  # fmt: skip
    table |= changes.pop("table", {})
    described = {"name": "neat-verdict-workspace", "form": 1, "migrations": {}, "resources": [table], **changes}
    file = io.BytesIO()
    with zipfile.ZipFile(file, "w") as package:
        package.writestr("data/w.csv", content)
        package.writestr("files/../x", content)
        package.writestr("datapackage.json", json.dumps(described))
    return zipfile.ZipFile(file)


def read_into_memory(package):
    with sqlite3.connect(":memory:") as database:
        database.execute("CREATE TABLE experiments_workspace (id integer PRIMARY KEY, name text NOT NULL UNIQUE)")
        for other in ("django_migrations", "people_token"):
            database.execute(f"CREATE TABLE {other} (id integer, name text)")
        database.execute("INSERT INTO experiments_workspace VALUES (7, 'made by a migration')")
        fill(package, look_into(package), database, lambda _: None)
        return list(database.execute("SELECT * FROM experiments_workspace"))


WITH_AGE = [{"name": "id", "type": "integer"}, {"name": "age", "type": "integer"}]


def test_what_migrations_put_there_gives_way():
    assert read_into_memory(small()) == [(1, "Tidewick")]


@pytest.mark.parametrize(
    ("changes", "said"),
    [
        ({"name": "other"}, "It is a other of form 1"),
        ({"form": 2}, "a neat-verdict-workspace of form 1 is read here"),
        ({"resources": 1}, "It is no package of a workspace, or not a whole one"),
        ({"table": {"hash": "sha256:0"}}, "data/w.csv is not what was written: its digest differs"),
        ({"table": {"path": "data/gone.csv"}}, "not a whole one: \"There is no item named 'data/gone.csv' in the archive\""),
        ({"table": {"type": "file", "path": "files/../x"}}, "files/../x is at no place for a file of a workspace"),
        ({"table": {"name": "django_migrations"}}, "There is no table django_migrations that a package may fill"),
        ({"table": {"name": "people_token"}}, "There is no table people_token that a package may fill"),
        ({"table": {"name": "experiments_gone"}}, "There is no table experiments_gone that a package may fill"),
        ({"content": "id,title\n1,x\n"}, "The header of data/w.csv is not that of its schema"),
        ({"content": "id,name\none,x\n"}, "data/w.csv, row 2: invalid literal for int()"),
        ({"content": "id,name\n1\n"}, "data/w.csv, row 2: "),
        ({"content": "id,name\n1,x\n2,x\n"}, "experiments_workspace: UNIQUE constraint failed"),
        ({"content": "id,name\n1,\\N\n"}, "experiments_workspace: NOT NULL constraint failed"),
        (
            {"content": "id,age\n1,2\n", "table": {"schema": {"fields": WITH_AGE}}},
            "experiments_workspace has no column age",
        ),
        ({"table": {"schema": {"fields": [{"name": "id", "type": "duration"}]}}}, "It is no package of a workspace"),
    ],
)  # fmt: skip
def test_what_is_wrong_with_a_package_is_named(changes, said):
    with pytest.raises(PackageRefused, match=re.escape(said)):
        read_into_memory(small(**changes))


def test_what_is_no_zip_is_refused(tmp_path):
    (tmp_path / "x.zip").write_text("hello")
    done = run(tmp_path, "manage.py", "import_workspace", str(tmp_path / "x.zip"))
    assert (done.returncode, "x.zip is no zip file, or a damaged one" in done.stderr) == (1, True)


# What SQLite keeps: text without NUL and halves of pairs, whole numbers of 64 bits, finite floats.
TEXTS = st.text(st.characters(exclude_categories=["Cs"], exclude_characters="\0"))
VALUES = {
    "boolean": st.sampled_from([0, 1]),
    "integer": st.integers(-(2**63), 2**63 - 1),
    "number": st.floats(allow_nan=False, allow_infinity=False),
    "date": st.dates().map(str),
    "moment": st.datetimes().map(str),
    "json": st.one_of(TEXTS, st.sampled_from(["\\N", "\\\\N"])),
    "binary": st.binary(),
    "string": st.one_of(TEXTS, st.sampled_from(["\\N", "\\\\N", "", "\r\n", '"', ",", " "])),
}


@given(st.sampled_from(sorted(KINDS)).flatmap(lambda kind: st.tuples(st.just(kind), st.none() | VALUES[kind])))
def test_a_value_comes_back_from_its_cell_to_the_last_digit(case):
    kind, value = case
    text = io.StringIO(newline="")
    csv.writer(text).writerow([cell_of(kind, value), "next"])
    ((cell, after),) = list(csv.reader(io.StringIO(text.getvalue(), newline="")))
    found = value_of(kind, cell)
    assert (found, type(found), after) == (value, type(value), "next")


def test_every_kind_is_tried():
    assert VALUES.keys() == KINDS.keys()
    assert isinstance(look_into(small()), Package)
