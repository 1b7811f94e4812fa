"""Whatever comes with the application may be passed on with it, and says by which licence."""

import pytest

from neat_verdict.app.http import licences

SHIPPED = [*licences.on_the_server(), *licences.where_the_data_live(), *licences.in_the_browser()]


@pytest.mark.parametrize("package", SHIPPED, ids=lambda one: f"{one.name}-{one.version}")
def test_each_package_may_be_passed_on_and_used_in_closed_work(package):
    assert package.allowed, package
    assert f"| {package.name} | {package.version} | {package.licence} |" in licences.as_markdown()


def test_what_is_pinned_and_what_is_built_in_is_listed():
    names = {one.name for one in SHIPPED}
    assert names >= {
        "django",
        "scipy",
        "duckdb",
        "pyspark",
        "react",
        "recharts",
        "daisyui",
        "@fontsource-variable/newsreader",
    }
    assert not names & {"pytest", "vitest", "typescript"}


@pytest.mark.parametrize(
    ("licence", "allowed"),
    [
        ("MIT", True), ("BSD-3-Clause AND (MIT OR Apache-2.0)", True), ("GPL-3.0-only", False), ("MIT AND GPL-3.0-only", False),
        ("", False), ("BSD-like", False),
    ],
)  # fmt: skip
def test_a_licence_that_asks_for_more_or_says_nothing_is_seen(licence, allowed):
    assert licences.Package("some", "1.0", licence).allowed is allowed
