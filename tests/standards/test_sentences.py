"""Sentences are made from values, in one place: no code reads one again, and every template is used as it is written."""

from __future__ import annotations

import ast
import re
from collections.abc import Iterator
from enum import StrEnum
from pathlib import Path
from string import Formatter

import pytest

import mardok
from mardok.sentences import keys, sentence
from mardok.sentences.sentence import _templates
from mardok.vocabulary import (
    Action,
    BlockReason,
    CheckId,
    ContainedRule,
    CopyRule,
    Failure,
    KindSign,
    NameRule,
    NoindexReason,
    NotComputed,
    OtherRule,
    RivalRule,
    ThinObstacle,
    ThinRule,
    VariantRule,
)

SOURCE = Path(mardok.__file__).parent
LOOKED_UP = {"get", "startswith", "endswith", "fullmatch", "count", "index"}
NO_SENTENCE = {
    " ": "white space",
    "  ": "white space",
    "- ": "a list in authored Markdown",
    'a href="': "the beginning of a tag",
    "a ": "the beginning of a tag",
    "img ": "the beginning of a tag",
}
"""Strings with a blank that code may compare, with the reason."""


def _texts(node: ast.AST | None) -> Iterator[ast.Constant]:
    if isinstance(node, ast.Constant) and isinstance(node.value, str):
        yield node
    elif isinstance(node, (ast.Tuple, ast.List, ast.Set)):
        for item in node.elts:
            yield from _texts(item)


def _compared(tree: ast.AST) -> Iterator[ast.Constant]:
    """String constants that something is compared with or looked up by."""
    notes = {id(node.slice) for node in ast.walk(tree) if isinstance(node, ast.Subscript) and _is_annotated(node)}
    for node in ast.walk(tree):
        if isinstance(node, ast.Compare):
            for side in (node.left, *node.comparators):
                yield from _texts(side)
        elif isinstance(node, ast.Subscript) and id(node.slice) not in notes:
            yield from _texts(node.slice)
        elif isinstance(node, ast.Dict):
            for key in node.keys:
                yield from _texts(key)
        elif isinstance(node, ast.Set):
            yield from _texts(node)
        elif isinstance(node, ast.MatchValue):
            yield from _texts(node.value)
        elif isinstance(node, ast.Call) and isinstance(node.func, ast.Attribute) and node.func.attr in LOOKED_UP:
            for argument in node.args:
                yield from _texts(argument)


def _is_annotated(node: ast.Subscript) -> bool:
    return isinstance(node.value, ast.Name) and node.value.id == "Annotated"


def test_no_code_compares_a_sentence_or_looks_one_up() -> None:
    found = [
        f"{path.relative_to(SOURCE)}:{text.lineno}: {text.value!r}"
        for path in sorted(SOURCE.rglob("*.py"))
        for text in _compared(ast.parse(path.read_text("utf-8")))
        if " " in text.value and text.value not in NO_SENTENCE
    ]
    assert not found


@pytest.mark.parametrize(
    "code",
    ["a == 'no such page'", "a['no such page']", "{'no such page': 1}", "a in {'no such page'}", "a.get('no such page')",
     "a in ('x', 'no such page')", "match a:\n    case 'no such page': pass"],
)  # fmt: skip
def test_each_way_to_look_a_sentence_up_is_seen(code: str) -> None:
    assert {text.value for text in _compared(ast.parse(code)) if " " in text.value} == {"no such page"}


def _calls() -> Iterator[tuple[str, ast.Call, str]]:
    """Calls that make a sentence: where, the call, and a pattern for the keys it may have."""
    for path in sorted(SOURCE.rglob("*.py")):
        for node in ast.walk(ast.parse(path.read_text("utf-8"))):
            if isinstance(node, ast.Call) and isinstance(node.func, ast.Name) and node.func.id == "sentence" and node.args:
                for pattern in filter(None, map(_pattern, _branches(node.args[0]))):  # a name may hold any key
                    yield f"{path.relative_to(SOURCE)}:{node.lineno}", node, pattern


def _branches(node: ast.expr) -> list[ast.expr]:
    return [*_branches(node.body), *_branches(node.orelse)] if isinstance(node, ast.IfExp) else [node]


def _pattern(node: ast.expr) -> str:
    if isinstance(node, ast.Constant):
        return re.escape(str(node.value))
    if isinstance(node, ast.JoinedStr):
        return "".join(re.escape(str(part.value)) if isinstance(part, ast.Constant) else r"[^.]*" for part in node.values)
    return ""


def _names(key: str) -> set[str]:
    """Values that a template names, in any of its forms."""
    template = _templates()[key]
    forms = template.values() if isinstance(template, dict) else [template]
    named = {name for form in forms for _, name, _, _ in Formatter().parse(form) if name is not None}
    return named | ({"n"} if isinstance(template, dict) else set())


def test_every_call_has_its_template_with_the_values_it_names() -> None:
    for where, call, pattern in _calls():
        fitting = [key for key in keys() if re.fullmatch(pattern, key)]
        assert fitting, f"{where}: {pattern}"
        given = {argument.arg for argument in call.keywords}
        if None not in given:  # with ** the values are known only when it runs
            lacking = {key: _names(key) - given for key in fitting}
            assert set() in lacking.values(), f"{where}: {lacking}"


def test_every_template_is_used() -> None:
    patterns = {pattern for _, _, pattern in _calls()} | {r"count\.[^.]+", "quoted"}
    patterns |= {
        r"answer\.since.*",
        r"brief\.(keeper|compare)",
        r"list\..+",
        r"shares\..+",
        r"keeper-because\..+",
        r"thin\.(left|decision|unless)\.[^.]+",
    }
    assert not [key for key in keys() if not any(re.fullmatch(pattern, key) for pattern in patterns)]


NAMED_BY: list[tuple[str, type[StrEnum], set[StrEnum]]] = [
    ("check.{}.trouble", CheckId, set()),
    ("check.{}.cost", CheckId, set()),
    ("check.{}.mend", CheckId, set()),
    ("variant-rule.{}", VariantRule, {VariantRule.NONE}),
    ("rivals.decision.{}", RivalRule, {RivalRule.SAME_INTENT, RivalRule.LESS_OVERLAP}),
    ("rivals.unless.{}", RivalRule, set()),
    ("copies.unless.{}", CopyRule, {CopyRule.VARIANTS_REDIRECTED, CopyRule.VARIANTS_REACHABLE}),
    ("site-name.decision.{}", NameRule, set()),
    ("site-name.unless.{}", NameRule, set()),
    ("thin.obstacle.{}", ThinObstacle, {ThinObstacle.NONE}),
    ("kind-sign.{}", KindSign, {KindSign.NONE}),
    ("not-indexable.{}", NoindexReason, set()),
    ("not-computed.what.{}", NotComputed, set()),
    ("failure.{}", Failure, {Failure.NONE}),
]


@pytest.mark.parametrize(("key", "words", "silent"), NAMED_BY, ids=[key for key, _, _ in NAMED_BY])
def test_every_value_has_its_sentence_and_no_other(key: str, words: type[StrEnum], silent: set[StrEnum]) -> None:
    expected = {key.format(word) for word in words if word not in silent}
    pattern = re.escape(key).replace(r"\{\}", "[^.]+")
    assert {known for known in keys() if re.fullmatch(pattern, known)} == expected


def test_rules_and_words_do_not_say_two_things() -> None:
    rules = [*CopyRule, *ContainedRule, *RivalRule, *ThinRule, *NameRule, *OtherRule]
    assert len({rule for rule in rules if rule}) == len([rule for rule in rules if rule])
    assert len(set(BlockReason)) == len(BlockReason)
    assert len(set(Action)) == len(Action)


@pytest.mark.parametrize(
    ("n", "expected"), [(0, "0 pages"), (1, "1 page"), (2, "2 pages"), (1200, "1,200 pages")]
)  # fmt: skip
def test_counts_agree_with_their_nouns(n: int, expected: str) -> None:
    assert str(sentence("count.page", n=n)) == expected


def test_a_text_from_a_page_is_never_read_as_a_template() -> None:
    assert str(sentence("quoted", text="{0} {x!r} %s")) == "'{0} {x!r} %s'"
