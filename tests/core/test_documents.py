"""The examples in the documents run, and print what they say."""

import contextlib
import io
import re
from pathlib import Path

import pytest

ROOT = Path(__file__).resolve().parents[2]
EXAMPLES = [
    (document, block)
    for document in ("README.md", "docs/methods.md")
    for block in re.findall(r"```python\n(.*?)```", (ROOT / document).read_text(), re.DOTALL)
]


def test_the_documents_have_examples():
    assert {document for document, _ in EXAMPLES} == {"README.md", "docs/methods.md"}


@pytest.mark.parametrize(("document", "block"), EXAMPLES)
def test_each_example_runs_and_prints_what_its_comments_say(document, block):
    printed = io.StringIO()
    with contextlib.redirect_stdout(printed):
        exec(compile(block, document, "exec"), {})
    said = [line.removeprefix("# ") for line in block.splitlines() if line.startswith("# ")]
    assert printed.getvalue().strip()
    for line in said:
        assert line in printed.getvalue()


@pytest.mark.parametrize("document", ["README.md", "docs/methods.md", "docs/architecture.md", "docs/operations.md"])
def test_every_file_a_document_links_to_is_there(document):
    place = (ROOT / document).parent
    links = re.findall(r"\]\((?!https?:)([^)#]+)", (ROOT / document).read_text())
    assert [link for link in links if not (place / link).exists()] == []
