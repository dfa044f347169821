"""Every table of Mardok: column, dtype, unit and meaning, with the fixed words that may stand in it.

Readers, writers, checks, the report's legend and the reference take their columns from here.
A table is a :class:`pandas.DataFrame` in the column order, dtypes and row order declared by its :class:`Table`.
Text is never missing (``""`` means there is none); counts that may be unknown are nullable, shares that may be are NaN.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from functools import cache
from itertools import islice
from typing import TYPE_CHECKING, Any

import numpy as np
from numpy.typing import NDArray

from mardok.large import Texts
from mardok.vocabulary import (
    RULES,
    Action,
    Answer,
    CauseKind,
    Chance,
    Change,
    CheckId,
    Confidence,
    Decision,
    Evidence,
    Found,
    GainUnit,
    GroupKind,
    GroupRole,
    Measure,
    MeasureUnit,
    NoindexReason,
    Outcome,
    Owner,
    PageKind,
    SiteMeasure,
    SlipPlace,
    SlotKind,
    StepKind,
    Subject,
    VariantRule,
)

if TYPE_CHECKING:
    import pandas as pd
    import pyarrow as pa

# pandas and pyarrow are imported where a frame is made: what only asks for columns and words does without them.

_ROWS_AT_ONCE = 1 << 14


@dataclass(frozen=True)
class Recurring:
    """A column of text that recurs, as numbers."""

    codes: NDArray[np.integer]
    """Number in `names` of each row's text."""
    names: Sequence[str] | NDArray[np.object_]


@dataclass(frozen=True)
class Column:
    """One column of a table."""

    name: str
    dtype: str
    """``str``, ``name`` (text that recurs: a pandas category), ``bool``, ``int32``, ``int64``, ``Int64`` (may be missing) or
    ``float64`` (may be NaN)."""
    meaning: str
    unit: str = ""
    decimals: int | None = None
    """Decimals in CSV files, for ``float64``."""
    words: tuple[str, ...] = ()
    """The only values that may stand here, where they are fixed."""
    csv: bool = True
    """Whether the column stands in the CSV file; every column stands in the Parquet file."""


@dataclass(frozen=True)
class Table:
    """A table: its columns in order, and the columns its rows are ordered by; one with ``-`` before it in falling order."""

    name: str
    meaning: str
    columns: tuple[Column, ...]
    order: tuple[str, ...]
    csv: bool = True
    """Whether the table is written as CSV beside Parquet."""

    @property
    def names(self) -> list[str]:
        """Column names in order."""
        return [column.name for column in self.columns]

    def frame(self, rows: Iterable[Sequence[Any]] | Mapping[str, Any]) -> pd.DataFrame:
        """A data frame of this table from rows (in column order) or from columns by name, sorted."""
        typed = self.part(rows if isinstance(rows, Mapping) else self._of_rows(rows), self.names)
        if _is_ordered(typed, self.order):  # a sort copies millions of rows
            return typed
        columns = [name.removeprefix("-") for name in self.order]
        is_rising = [not name.startswith("-") for name in self.order]
        return typed.sort_values(columns, ascending=is_rising, kind="stable", ignore_index=True)

    def _of_rows(self, rows: Iterable[Sequence[Any]]) -> dict[str, Any]:
        """Columns from rows: text is stored some rows at a time, since as strings it takes several times the memory."""
        import pyarrow as pa

        left = iter(rows)
        columns: list[list[Any]] = [[] for _ in self.columns]
        while some := list(islice(left, _ROWS_AT_ONCE)):
            for column, values, known in zip(self.columns, zip(*some, strict=True), columns, strict=True):
                known += [_arrow_text(values)] if column.dtype == "str" else values
        result: dict[str, Any] = {}
        for column, known in zip(self.columns, columns, strict=True):
            if column.dtype == "str":
                result[column.name] = pa.chunked_array(known, pa.large_string()).combine_chunks()
                known.clear()  # else all columns are held twice in the end
            else:
                result[column.name] = known
        return result

    def part(self, columns: Mapping[str, Any], names: Sequence[str]) -> pd.DataFrame:
        """A data frame of some columns of this table, in the order given."""
        import pandas as pd

        declared = {column.name: column for column in self.columns}
        return pd.DataFrame({name: _typed(declared[name], columns[name]) for name in names}, copy=False)

    def check(self, frame: pd.DataFrame) -> None:
        """Raise ValueError if `frame` is not as declared: columns, dtypes, fixed words, order."""
        if list(frame.columns) != self.names:
            raise ValueError(f"table {self.name}: columns {list(frame.columns)}, declared {self.names}")
        for column in self.columns:
            result = frame[column.name]
            if result.dtype.name != _dtype_name(column.dtype):
                raise ValueError(f"table {self.name}, {column.name}: dtype {result.dtype}, declared {column.dtype}")
            if column.dtype in ("str", "name") and result.isna().any():
                raise ValueError(f"table {self.name}, {column.name}: text must not be missing")
            if column.words and not set(result.unique()) <= set(column.words):
                raise ValueError(f"table {self.name}, {column.name}: {set(result.unique()) - set(column.words)}")
        self._check_order(frame)

    def check_order(self, before: pd.DataFrame, after: pd.DataFrame) -> None:
        """Raise ValueError if the last row of one frame does not come before the first of another."""
        import pandas as pd

        names = list({name.removeprefix("-") for name in self.order})
        rows = {name: [before[name].iloc[-1], after[name].iloc[0]] for name in names} if len(before) and len(after) else {}
        if rows:
            self._check_order(pd.DataFrame(rows))

    def _check_order(self, frame: pd.DataFrame) -> None:
        if not _is_ordered(frame, self.order):
            raise ValueError(f"table {self.name}: rows are not ordered by {self.order}")


def cells_of(frame: pd.DataFrame, names: Sequence[str]) -> Iterator[tuple[Any, ...]]:
    """Rows of some columns; as strings, which take several times the memory, there are few at a time.

    pandas' own way over columns of text is ten times slower.
    """
    for first in range(0, len(frame), _ROWS_AT_ONCE):
        some = frame.iloc[first : first + _ROWS_AT_ONCE]
        yield from zip(*(some[name].to_numpy().tolist() for name in names), strict=True)


def _typed(column: Column, values: Any) -> Any:
    """Values as pandas has them for a column."""
    import pandas as pd

    if column.dtype == "name":
        return _category(values)
    return (
        _text_column(values) if column.dtype == "str" else pd.Series(values, dtype=_pandas_dtype(column.dtype), copy=False)
    )


def _is_ordered(frame: pd.DataFrame, order: Sequence[str]) -> bool:
    """Whether rows are ordered by some columns, the first first; one with ``-`` before it in falling order."""
    tied = np.ones(max(len(frame) - 1, 0), bool)
    for ordered in order:
        if not tied.any():
            break
        name = ordered.removeprefix("-")
        at = np.flatnonzero(tied) if frame[name].dtype == "str" else slice(None)  # strings are dear to make
        values = _comparable(frame[name])
        before, after = (values[:-1][at], values[1:][at]) if name == ordered else (values[1:][at], values[:-1][at])
        if ((before > after) & tied[at]).any():
            return False
        tied[at] &= before == after
    return True


def _comparable(column: pd.Series) -> NDArray[Any]:
    """Values in whose order the column is: of names their numbers, since the names are in order."""
    return np.asarray(column.cat.codes if column.dtype == "category" else column.to_numpy())


def _category(column: Any) -> pd.Categorical[str]:
    """Recurring text as a category of the names that occur, in order, so that comparing numbers compares names."""
    import pandas as pd
    import pyarrow.compute as pc

    if not isinstance(column, Recurring):
        listed = pd.Categorical(column)
        column = Recurring(listed.codes, np.asarray(listed.categories, object))
    codes, names = column.codes, column.names
    used = np.flatnonzero(np.bincount(codes, minlength=len(names)))
    if isinstance(names, Texts):
        kept = (names if len(used) == len(names) else names.selected(used)).as_strings()
    else:
        kept = _arrow_text(np.asarray(names, object)[used])
    order = pc.sort_indices(kept).to_numpy()
    rank = np.zeros(len(names), np.int32)
    rank[used[order]] = np.arange(len(order), dtype=np.int32)
    ordered: Any = pd.Index(pd.array(kept.take(order), dtype=_pandas_dtype("str")))
    ordered._cache["is_unique"] = True  # to find that out, pandas would keep every name a second time
    result: pd.Categorical[str] = pd.Categorical.from_codes(rank[codes], ordered)
    return result


def _text_column(column: Any) -> pd.Series:
    import pandas as pd

    text = _pandas_dtype("str")
    return (
        column if isinstance(column, pd.Series) and column.dtype == text else pd.Series(pd.array(_arrow_text(column), text))
    )


def _arrow_text(texts: Iterable[str]) -> pa.LargeStringArray:
    """Strings for Arrow, laid down at once: growing with each string, it would hold three times the memory for a while."""
    import pyarrow as pa

    if isinstance(texts, pa.LargeStringArray):
        return texts
    if isinstance(texts, Texts):
        return texts.as_strings()
    listed = list(texts)
    raw = "".join(listed).encode("utf-8", "replace")
    lengths = map(len, listed) if raw.isascii() else (len(text.encode("utf-8", "replace")) for text in listed)
    ends = np.cumsum(np.fromiter(lengths, np.int64, len(listed)))
    offsets = np.concatenate([np.zeros(1, np.int64), ends])
    return pa.LargeStringArray.from_buffers(len(listed), pa.py_buffer(offsets), pa.py_buffer(raw))


def _pandas_dtype(dtype: str) -> Any:
    import pandas as pd

    if dtype == "name":
        return "category"
    return pd.StringDtype("pyarrow", na_value=float("nan")) if dtype == "str" else dtype


@cache
def _dtype_name(dtype: str) -> str:
    """What pandas calls the dtype of a column."""
    import pandas as pd

    return str(pd.Series([], dtype=_pandas_dtype(dtype)).dtype.name)


def _share(name: str, meaning: str) -> Column:
    return Column(name, "float64", meaning, unit="share, 0 to 1", decimals=6)


PAGES = Table(
    "pages",
    "one row for each address that was read",
    (
        Column("url", "str", "address as requested"),
        Column("status", "Int64", "HTTP status; missing where the source does not tell", unit="HTTP status"),
        Column("final_url", "str", "where the address leads after all redirects and canonicals that were read"),
        Column("indexable", "bool", "whether a search engine may list the page"),
        Column("reason", "str", "why the page is not indexable; what limits its comparison"),
        Column("variant_of", "str", "page that this address is another writing of"),
        Column("language", "str", "language of the text, ISO 639-1"),
        Column("kind", "str", "what the page is for", words=tuple(PageKind)),
        Column("depth", "Int64", "links from the home page; missing where none lead there", unit="links"),
        Column("title", "str", "title element"),
        Column("site_name", "str", "the site's part of the title"),
        Column("description", "str", "meta description"),
        Column("h1", "str", "first H1"),
        Column("title_characters", "int64", "length of the title", unit="characters"),
        Column("title_px", "int64", "width of the title in a result of a search on a computer", unit="px"),
        Column("description_characters", "int64", "length of the meta description", unit="characters"),
        Column("description_px", "int64", "its width there", unit="px"),
        Column("target_phrase", "str", "what title, H1, address and links to the page promise"),
        Column("main_query", "str", "query without the site's name that shows it most, in the span of clicks"),
        Column("position", "float64", "mean position for such queries, weighted by impressions", decimals=1),
        Column("words", "int64", "words of the main text", unit="words"),
        Column("own_words", "Int64", "words that stand nowhere else", unit="words"),
        Column("shared_words", "Int64", "words that also stand on other pages", unit="words"),
        Column("boilerplate_words", "Int64", "words that stand in boilerplate", unit="words"),
        _share("boilerplate_share", "boilerplate words / words"),
        Column("copies", "int64", "other pages that are copies of this one", unit="pages"),
        Column(
            "nearest_url",
            "str",
            "page that resembles this one most; empty below the least kept resemblance and for variants",
        ),
        _share("nearest_resemblance", "resemblance to nearest_url"),
        Column("inlinks", "int64", "pages that link here", unit="pages"),
        Column("link_weight", "float64", "PageRank; the weights of all pages add up to 1", unit="share", decimals=6),
        Column("clicks", "float64", "clicks a month from search", unit="clicks/month", decimals=1),
        Column("clicks_before", "float64", "the same, in the equal span before", unit="clicks/month", decimals=1),
        Column("impressions", "float64", "impressions a month in search", unit="impressions/month", decimals=1),
        Column("thin", "str", "whether the page is thin", words=tuple(Answer)),
        Column("thin_reason", "str", "why the page is thin, or why it is not"),
        Column("noindex_reason", "str", "why the page is not indexable", words=("", *NoindexReason), csv=False),
        Column("kind_reason", "str", "the sign that kind rests on", csv=False),
        Column("topic_fields", "str", "which of them say all of it", csv=False),
        Column("topic_uses", "int64", "times the main text uses it, inflected or not", unit="uses", csv=False),
        Column("topic_first_word", "Int64", "words before the first of these uses", unit="words", csv=False),
        Column("external_links", "float64", "links from other sites", unit="links", csv=False),
        Column("conversions", "float64", "conversions", unit="conversions/month", csv=False),
        Column("sessions", "float64", "visits", unit="visits/month", csv=False),
        Column("index_state", "str", "what a search engine says of the page", csv=False),
        Column("declared_language", "str", "lang attribute or Content-Language header", csv=False),
        Column("canonical_url", "str", "absolute target of rel=canonical (RFC 6596)", csv=False),
        Column("canonical_is_relative", "bool", "whether that is written without scheme and host", csv=False),
        Column("redirect_url", "str", "absolute target of the redirect", csv=False),
        Column("robots", "str", "robots directives as found, agent first where one is named", csv=False),
        Column("bytes_hash", "str", "XXH3 of the decoded body, 128 bits", csv=False),
        Column("text_hash", "str", "XXH3 of the words and punctuation of the main text, 128 bits", csv=False),
        Column("main_text", "str", "main text, one line a block", csv=False),
        Column("source", "str", "file or folder the page was read from", csv=False),
        Column("in_sitemap", "str", "whether a sitemap lists it; empty where none was read", words=tuple(Answer), csv=False),
        Column("script_words", "Int64", "words that exist only after scripts ran", unit="words", csv=False),
        Column("stated_day", "str", "day of the last change, else of publication, that the page states", csv=False),
    ),
    ("url",),
)
BLOCKS = Table(
    "blocks",
    "one row for each block-level run of text",
    (
        Column("page", "int32", "row of the page in pages, from 0"),
        Column("block", "int32", "place of the block in its page, from 0"),
        Column("text", "name", "text of the block, white space collapsed"),
        Column("tag", "name", "block-level element the text stands in"),
        Column("place", "name", "landmark or part of the page the block stands in"),
        Column("level", "int32", "heading level, 0 if it is no heading"),
        Column("main", "bool", "whether the block belongs to the main text"),
        Column("reason", "name", "why the block is not main text; of main text, whether all of it is boilerplate"),
    ),
    ("page", "block"),
    csv=False,
)
LINKS = Table(
    "links",
    "one row for each link to an http(s) address",
    (
        Column("page", "int32", "row of the linking page in pages, from 0"),
        Column("block", "int32", "block the link begins in; -1 if it stands in none"),
        Column("start", "int32", "where the link begins in the block's text", unit="characters"),
        Column("end", "int32", "where it ends in the block's text", unit="characters"),
        Column("url", "name", "absolute target without fragment"),
        Column("target_page", "int32", "row of the target in pages, -1 if it was not read"),
        Column("anchor", "name", "anchor text, or the alt text of a linked image"),
        Column("rel", "name", "rel attribute, lower case"),
        Column("chrome", "bool", "whether the link stands in chrome"),
    ),
    ("page", "block", "start", "url"),
    csv=False,
)
IMAGES = Table(
    "images",
    "one row for each image element",
    (
        Column("page", "int32", "row of the page in pages, from 0"),
        Column("url", "name", "absolute address of the image"),
        Column("alt", "name", "alt text"),
        Column("has_alt", "bool", "whether there is an alt attribute, empty or not"),
    ),
    ("page", "url", "alt"),
    csv=False,
)
ALTERNATES = Table(
    "alternates",
    "one row for each hreflang alternate a page names",
    (
        Column("page", "int64", "row of the naming page in pages, from 0"),
        Column("hreflang", "str", "language and region, lower case"),
        Column("url", "str", "absolute address of the alternate"),
        Column("target_page", "int64", "row of the alternate in pages, -1 if it was not read"),
    ),
    ("page", "hreflang", "url"),
    csv=False,
)
UNREAD = Table(
    "unread",
    "one row for each record that could not be read",
    (
        Column("source", "str", "file or folder"),
        Column("place", "str", "where in the source"),
        Column("url", "str", "address, where it is known"),
        Column("reason", "str", "what was wrong"),
    ),
    ("source", "place", "url"),
    csv=False,
)
PAIRS = Table(
    "pairs",
    "one row for each kept pair of pages",
    (
        Column("url_a", "str", "the page that comes first in URL order"),
        Column("url_b", "str", "the other page of the pair"),
        _share("resemblance", "shingles in both / shingles in either"),
        _share("a_in_b", "shingles in both / shingles in url_a"),
        _share("b_in_a", "shingles in both / shingles in url_b"),
        Column("shared_words", "int64", "words of the shorter page that stand in a common shingle", unit="words"),
    ),
    ("url_a", "url_b"),
)
GROUPS = Table(
    "groups",
    "one row for each page in a group",
    (
        Column("group", "str", "id of the group"),
        Column("kind", "str", "what makes it a group", words=tuple(GroupKind)),
        Column("url", "str", "page"),
        Column("role", "str", "keeper, or member", words=tuple(GroupRole)),
        Column("phrase", "str", "phrase or pattern that the pages share"),
        _share("resemblance", "resemblance to the keeper, where both have text"),
        Column("clicks", "float64", "clicks a month from search", unit="clicks/month", decimals=1),
        Column("clicks_before", "float64", "the same, in the equal span before", unit="clicks/month", decimals=1),
        Column("evidence", "str", "strongest kind of evidence", words=tuple(Evidence)),
        Column("confidence", "str", "how sure it is that they belong together", words=tuple(Confidence)),
    ),
    ("kind", "group", "role", "url"),
)
QUERIES = Table(
    "queries",
    "one row for each query and page that search shows for it",
    (
        Column("page", "int32", "row of the page in pages, from 0"),
        Column("query", "name", "what was searched, case-folded"),
        Column("clicks", "float64", "clicks a month over all of the data", unit="clicks/month"),
        Column("impressions", "float64", "impressions a month over all of the data", unit="impressions/month"),
        Column("position", "float64", "mean position, weighted by impressions"),
        Column("clicks_now", "float64", "clicks a month in the later of the spans compared", unit="clicks/month"),
        Column("impressions_now", "float64", "impressions a month there", unit="impressions/month"),
        Column("position_now", "float64", "mean position there"),
        Column("clicks_before", "float64", "clicks a month in the earlier one", unit="clicks/month"),
        Column("impressions_before", "float64", "impressions a month there", unit="impressions/month"),
        Column("position_before", "float64", "mean position there"),
        _share("share", "the page's part of the query's impressions"),
        Column("competing", "float64", "pages that compete for the query: exponential of the entropy of impressions"),
        Column("brand", "bool", "whether the query asks for the site by its name"),
    ),
    ("page", "query"),
    csv=False,
)
UNANSWERED = Table(
    "unanswered",
    "one row for each query that is asked and not said: the page that search shows most for it does not hold its words, or "
    "no page promises it",
    (
        Column("query", "str", "what was searched, case-folded"),
        Column("url", "str", "page that search shows most for it"),
        Column("impressions", "float64", "impressions a month of this page", unit="impressions/month", decimals=1),
        Column("clicks", "float64", "clicks a month of this page", unit="clicks/month", decimals=1),
        Column("position", "float64", "mean position of this page, weighted by impressions", decimals=1),
        Column("missing", "str", "words of the query that the page does not say; empty if it says all"),
        Column(
            "promised", "str", "whether title, H1 and address of any page have all that it asks for", words=tuple(Answer)
        ),
    ),
    ("-impressions", "query"),
)
POSITIONS = Table(
    "positions",
    "one row for each page, week and query that rivals compete for",
    (
        Column("page", "int32", "row of the page in pages, from 0"),
        Column("query", "name", "one of the three most searched queries of a group of rivals"),
        Column("week", "name", "first day of the week, YYYY-MM-DD"),
        Column("position", "float64", "mean position, weighted by impressions"),
        Column("impressions", "float64", "impressions in that week", unit="impressions"),
    ),
    ("page", "query", "week"),
    csv=False,
)
LINK_PLAN = Table(
    "link_plan",
    "one row for each link that waits to be made: a page that mentions what another is about and does not link to it; of "
    "each target the best",
    (
        Column("target", "str", "page that the link is to lead to"),
        Column("source", "str", "page that mentions it"),
        Column("block", "int32", "place of the block with the words in that page, from 0"),
        Column("words_to_link", "str", "words of the block to make a link of"),
        Column("sentence", "str", "sentence that they stand in"),
        Column("weight", "float64", "link weight that the link would pass", unit="share", decimals=6),
        Column("pages_that_link", "int64", "pages that link to the target from their text today", unit="pages"),
    ),
    ("target", "-weight", "source"),
)
WORDINGS = Table(
    "wordings",
    "one row for each phrase that one page is called by, and no other: what links to it may say",
    (
        Column("hash", "int64", "hash of the stems of its words"),
        Column("page", "int32", "row of the page in pages, from 0"),
        Column("words", "int32", "words of the phrase", unit="words"),
    ),
    ("hash", "page"),
    csv=False,
)
FINGERPRINTS = Table(
    "fingerprints",
    "one row for each hash of five words in a row that is kept of a page, so that what eight words have in common is found",
    (
        Column("hash", "int32", "hash of the words"),
        Column("page", "int32", "row of the page in pages, from 0; of very many the first 64"),
    ),
    ("hash", "page"),
    csv=False,
)
SLIPS = Table(
    "slips",
    "one row for each word or sign that is wrong: of a text that several pages have and of a template one, else one a page",
    (
        Column("slip", "int64", "number of the row, from 0"),
        Column("check", "str", "what is wrong", words=tuple(CheckId)),
        Column("written", "str", "what stands there"),
        Column("right", "str", "what it should be; empty where only a person can tell"),
        Column("where", "str", "what it stands in", words=tuple(SlipPlace)),
        Column("pages", "int64", "pages that have it", unit="pages"),
        Column("language", "str", "language of the text, ISO 639-1"),
        Column("url", "str", "first page that has it"),
        Column("sentence", "str", "words around it"),
        Column("uses_of_right", "Int64", "how often the right word stands on the site; of misspelt words"),
        Column("decision", "str", "accept: it is right as it is, and is not told again", words=("", Decision.ACCEPT)),
    ),
    ("slip",),
)
SLIP_PLACES = Table(
    "slip_places",
    "one row for each place of a slip",
    (
        Column("page", "int32", "row of the page in pages, from 0"),
        Column("block", "int32", "place of the block in its page, from 0"),
        Column("start", "int32", "first character of the block's text"),
        Column("end", "int32", "character after the last"),
        Column("slip", "int64", "number of the slip"),
    ),
    ("page", "block", "start", "slip"),
    csv=False,
)
UNKNOWN_WORDS = Table(
    "unknown_words",
    "one row for each word that no dictionary knows and nothing speaks against, to look through",
    (
        Column("word", "str", "the word as written"),
        Column("language", "str", "language of the pages, ISO 639-1"),
        Column("uses", "int64", "how often it stands in different texts"),
        Column("pages", "int64", "pages that have it", unit="pages"),
        Column("url", "str", "first page that has it"),
        Column("decision", "str", "accept: it is a word, and is not told again", words=("", Decision.ACCEPT)),
    ),
    ("-pages", "word", "language"),
)
SITE_WORDS = Table(
    "site_words",
    "one row for each word of the site, where words were looked up in dictionaries",
    (
        Column("word", "str", "the word as written"),
        Column("language", "name", "language of the pages, ISO 639-1"),
        Column("uses", "int64", "how often it stands in different texts"),
        Column("known", "bool", "whether a dictionary knows it"),
    ),
    ("language", "word"),
    csv=False,
)
SET_APART = Table(
    "set_apart",
    "one row for each word that markup sets apart on some page: as code, as another language or as not to be translated",
    (Column("word", "str", "the word in lower case"),),
    ("word",),
    csv=False,
)
CONTRADICTIONS = Table(
    "contradictions",
    "one row for each sentence that pages say with one figure, and others with another",
    (
        Column("text", "str", "the sentence, with … in the place of what differs"),
        Column("slot", "str", "what differs", words=tuple(SlotKind)),
        Column("value", "str", "what most pages say, or the page that stays"),
        Column("pages", "int64", "pages that say so", unit="pages"),
        Column("other_value", "str", "what the others say"),
        Column("other_pages", "int64", "pages that say that", unit="pages"),
        Column("example_url", "str", "first page that says the other"),
        Column("url", "str", "first page that says the one"),
        Column("sentence", "str", "the sentence as the other page has it"),
    ),
    ("text", "value", "other_value"),
)
PHRASES = Table(
    "phrases",
    "one row for each phrase",
    (
        Column("phrase", "str", "phrase in its commonest form"),
        Column("words", "int64", "words of the phrase", unit="words"),
        Column("pages", "int64", "pages that use it", unit="pages"),
        Column("uses", "int64", "times it is used, inflected forms counted together; boilerplate counted once", unit="uses"),
        Column("boilerplate_uses", "int64", "further times that boilerplate repeats it", unit="uses"),
    ),
    ("-uses", "phrase"),
)
PAGE_PHRASES = Table(
    "page_phrases",
    "one row for each phrase that a page uses most",
    (
        Column("page", "int32", "row of the page in pages, from 0"),
        Column("place", "int32", "place among the phrases of the page, the most used first, from 1"),
        Column("phrase", "str", "phrase in the form that is commonest on the page"),
        Column("uses", "int32", "times the page uses it, twice at least", unit="uses"),
    ),
    ("page", "place"),
    csv=False,
)
SECTION_PHRASES = Table(
    "section_phrases",
    "one row for each phrase that is typical of a section",
    (
        Column("section", "str", "address that the pages of the section begin with"),
        Column("section_pages", "int64", "pages of the section", unit="pages"),
        Column("place", "int64", "place among the phrases of the section, the most typical first, from 1"),
        Column("phrase", "str", "phrase in its commonest form"),
        Column("pages", "int64", "pages of the section that use it", unit="pages"),
        Column("uses", "int64", "times the section uses it", unit="uses"),
        Column("typical", "float64", "log-likelihood ratio against the rest of the site"),
    ),
    ("section", "place"),
    csv=False,
)
BOILERPLATE = Table(
    "boilerplate",
    "one row for each boilerplate block or passage",
    (
        Column("text", "str", "the text as it stands on example_url"),
        Column("words", "int64", "words of the text", unit="words"),
        Column("pages", "int64", "pages that carry it, of a long text at least half of its words", unit="pages"),
        Column("example_url", "str", "one of the pages"),
        Column("where", "str", "section most of the pages are in"),
        Column("copies", "bool", "whether the pages are copies of one another anyway", csv=False),
        Column("word_share", "float64", "words of the site that it makes up", unit="share, 0 to 1", csv=False),
    ),
    ("-pages", "-words", "text", "example_url"),
)
FURNITURE = Table(
    "furniture",
    "one row for each part of the template that was taken for furniture",
    (
        Column("part", "str", "the element, by tag, classes, id and role"),
        Column("reason", "str", "why most of it is no main text"),
        Column("pages", "int64", "pages that have it", unit="pages"),
        Column("words", "int64", "words of it on all pages together", unit="words"),
        Column("example_url", "str", "one of the pages"),
        Column("text", "str", "its text there, cut off after 200 characters"),
    ),
    ("-words", "part"),
    csv=False,
)
PASSAGES = Table(
    "passages",
    "one row for each stretch of a page that stands word for word on other pages too",
    (
        Column("page", "int32", "row of the page in pages, from 0"),
        Column("word", "int32", "number of its first word in the page's main text, from 0"),
        Column("words", "int32", "words of the stretch", unit="words"),
        Column("passage", "int32", "number of the passage; stretches of one passage say the same up to edits"),
        Column("boilerplate", "bool", "whether all of its words are boilerplate"),
        Column("own", "bool", "whether it is the page's own text, of which other pages have a teaser only"),
    ),
    ("page", "word", "passage"),
    csv=False,
)
TEASERS = Table(
    "teasers",
    "one row for each stretch of a page that teases a page it links to, in words of that page",
    (
        Column("page", "int32", "row of the page in pages, from 0"),
        Column("word", "int32", "number of its first word in the page's main text, from 0"),
        Column("words", "int32", "words of the stretch", unit="words"),
    ),
    ("page", "word"),
    csv=False,
)
CHECK_ROWS = Table(
    "checks",
    "one row for each trouble of a page",
    (
        Column("url", "str", "page"),
        Column("check", "str", "fixed id of the trouble", words=tuple(CheckId)),
        Column("is_template", "bool", "whether the template of several pages has it: one edit mends it on all of them"),
        Column("value", "str", "the figure or text that is wrong"),
        Column("detail", "str", "the other page, or what to look at"),
        Column("pages", "int64", "pages that share it, of a trouble of a template; else 1", unit="pages"),
        Column("fix", "str", "what to do about it"),
    ),
    ("url", "check", "value", "detail"),
)
PLAN = Table(
    "plan",
    "one row for each proposal, best first",
    (
        Column("rank", "int64", "place in the plan, from 1"),
        Column("band", "int64", "1 broken or blocking, 2 gain, 3 tidying"),
        Column("proposal", "str", "id: SHA-256 over group kind and sorted addresses, first 10 hex digits"),
        Column("action", "str", "what to do", words=tuple(Action)),
        Column("rule", "str", "the row of the table of actions that decided", words=RULES),
        Column("owner", "str", "whose work it is", words=tuple(Owner)),
        Column("keeper", "str", "page that stays; empty where a pattern has several"),
        Column("pages", "int64", "pages the proposal is about, keepers included", unit="pages"),
        Column("gain", "float64", "expected gain", unit="see gain_unit", decimals=1),
        Column("gain_low", "float64", "lower end of an interval of 80% around it", unit="see gain_unit", decimals=1),
        Column("gain_high", "float64", "upper end of that interval", unit="see gain_unit", decimals=1),
        Column("gain_unit", "str", "unit of the gain", words=tuple(GainUnit)),
        Column("at_risk", "float64", "clicks a month that could be lost", unit="clicks/month", decimals=1),
        Column("effort_hours", "float64", "work", unit="hours", decimals=2),
        Column("confidence", "str", "how sure the advice is", words=tuple(Confidence)),
        Column("evidence", "str", "strongest kind of evidence", words=tuple(Evidence)),
        Column("summary", "str", "the proposal in one line"),
        Column("why", "str", "the reason, with its figures"),
        Column("unless", "str", "what would change the advice"),
        Column("basis", "str", "figures the proposal rests on, JSON"),
        Column("decision", "str", "a person's decision", words=tuple(Decision)),
        Column("note", "str", "a person's note"),
    ),
    ("rank",),
)
STEP_ROWS = Table(
    "steps",
    "one row for each thing to do to one address",
    (
        Column("proposal", "str", "id of the proposal"),
        Column("order", "int64", "place in the proposal, from 1"),
        Column("url", "str", "address to change"),
        Column("step", "str", "what to do to it", words=tuple(StepKind)),
        Column("target", "str", "where it leads then, where it leads anywhere"),
        Column("rule", "str", "the row of the table of actions that decided, or the check", words=(*RULES, *CheckId)),
        Column("pattern", "str", "how the address differs, where it goes by a rule for many", words=tuple(VariantRule)),
        Column(
            "pattern_value",
            "str",
            "the parameter, or scheme or host with the one in its place; of a link to change, where it leads; of a word "
            "that is wrong, the word",
        ),
        Column("owner", "str", "whose work it is", words=tuple(Owner)),
        Column("detail", "str", "what else the person who does it must know"),
        Column("done", "str", "when a person did it, as they wrote it; kept by the next audit"),
    ),
    ("proposal", "order"),
)

TABLES: Mapping[str, Table] = {
    table.name: table
    for table in (
        PLAN, STEP_ROWS, LINK_PLAN, PAGES, GROUPS, PAIRS, QUERIES, UNANSWERED, POSITIONS, PHRASES, PAGE_PHRASES,
        SECTION_PHRASES, WORDINGS, FINGERPRINTS, BOILERPLATE, PASSAGES, TEASERS, FURNITURE, CHECK_ROWS, SLIPS, SLIP_PLACES,
        CONTRADICTIONS, UNKNOWN_WORDS, SITE_WORDS, SET_APART, BLOCKS, LINKS, IMAGES, ALTERNATES, UNREAD,
    )
}  # fmt: skip
"""All tables by name."""

VERIFIED = Table(
    "verified",
    "one row for each step of the proposals that were to be carried out",
    (
        Column("proposal", "str", "id of the proposal"),
        Column("order", "int64", "place in the proposal, from 1"),
        Column("url", "str", "address that was to change"),
        Column("step", "str", "what was to be done to it", words=tuple(StepKind)),
        Column("target", "str", "where it was to lead, where it leads anywhere"),
        Column("decision", "str", "a person's decision about the proposal", words=tuple(Decision)),
        Column("outcome", "str", "what became of it", words=tuple(Outcome)),
        Column("found", "str", "what was found"),
        Column("reason", "str", "the same as a fixed word", words=tuple(Found), csv=False),
        Column("rule", "str", "the row of the table of actions that decided, or the check", csv=False),
    ),
    ("proposal", "order"),
)
CHANGES = Table(
    "changes",
    "one row for each finding of either audit",
    (
        Column("subject", "str", "what kind of finding it is", words=tuple(Subject)),
        Column("id", "str", "id of the proposal, group or check; of a thin page nothing"),
        Column("url", "str", "page, or the first of them"),
        Column("change", "str", "what became of it", words=tuple(Change)),
        Column("before", "float64", "how much of it there was: pages, of a thin page its own words", decimals=0),
        Column("after", "float64", "how much of it there is now", decimals=0),
        Column("detail", "str", "what it is"),
    ),
    ("subject", "change", "id", "url", "detail"),
)
EFFECT = Table(
    "effect",
    "one row for all touched pages together, for those that clicks were expected of, for each page that stays, with those "
    "merged into it, and for their queries",
    (
        Column("unit", "str", "page that stays, or a query of one of them; empty for several together"),
        Column("kind", "str", "what the row is about", words=("all", "expected", "page", "query")),
        Column("measure", "str", "what is measured", words=tuple(Measure)),
        Column("pages", "int64", "pages that were touched", unit="pages"),
        Column("before", "float64", "a month before the change; of a position the mean", unit="a month", decimals=1),
        Column("after", "float64", "a month after it", unit="a month", decimals=1),
        Column("effect", "float64", "part of the change that the untouched pages do not show", unit="a month", decimals=1),
        Column("effect_low", "float64", "lower end of an interval of 80% around it", unit="a month", decimals=1),
        Column("effect_high", "float64", "upper end of that interval", unit="a month", decimals=1),
        Column("expected", "float64", "gain that the plan expected", unit="clicks/month", decimals=1),
        Column("expected_low", "float64", "lower end of its interval", unit="clicks/month", decimals=1),
        Column("expected_high", "float64", "upper end of its interval", unit="clicks/month", decimals=1),
    ),
    ("kind", "unit", "measure"),
)
HISTORY = Table(
    "history",
    "one row for each audit and figure",
    (
        Column("audit", "int64", "number of the audit, the first 1"),
        Column("day", "str", "last day of the crawl, else the day of the audit"),
        Column("measure", "str", "what is counted"),
        Column("count", "float64", "how many", decimals=1),
        Column(
            "share",
            "float64",
            "of the indexable pages, or of the words, where it counts such",
            unit="share, 0 to 1",
            decimals=6,
        ),
    ),
    ("audit", "measure"),
)
RECHECK_TABLES: Mapping[str, Table] = {table.name: table for table in (VERIFIED, CHANGES, EFFECT, HISTORY)}
"""The tables of a recheck by name."""

VERSUS = Table(
    "versus",
    "one row for each measure and site, ours first",
    (
        Column("place", "int64", "place of the measure, from 1"),
        Column("measure", "str", "what is measured", words=tuple(SiteMeasure)),
        Column("of", "str", "kind of page, or language, that it is measured of; empty for all"),
        Column("number", "int64", "number of the site, ours 1"),
        Column("site", "str", "host of the site"),
        Column("unit", "str", "unit of value", words=tuple(MeasureUnit)),
        Column("value", "float64", "the share, or the median", unit="see unit", decimals=6),
        Column("low", "float64", "lower end of an interval of 95%, where only a part of the site was read", decimals=6),
        Column("high", "float64", "upper end of that interval", decimals=6),
        Column("quarter_low", "float64", "of a median the value that a quarter of the pages is below", decimals=6),
        Column("quarter_high", "float64", "the value that a quarter of the pages is above", decimals=6),
        Column(
            "pages", "int64", "pages behind it, listed in versus-pages.csv; of a median the pages measured", unit="pages"
        ),
        Column("of_pages", "int64", "pages that are asked about", unit="pages"),
        Column("cause", "str", "section, or check and kind of page, that most of it comes from"),
        Column("cause_kind", "str", "what kind of cause that is", words=tuple(CauseKind)),
        _share("cause_share", "part of the pages, or words, behind it that have this cause"),
        Column("without_cause", "float64", "value without that section, or once that template is mended", decimals=6),
        Column("adjusted", "float64", "value without what was asked to be left out", decimals=6),
        Column("difference", "float64", "value - the value of our site", decimals=6),
        Column("chance", "str", "whether that is more than chance, where only parts were read", words=tuple(Chance)),
        Column("comparable", "bool", "whether it can be compared with ours"),
        Column("note", "str", "why it cannot, or why there is no value"),
    ),
    ("place", "number"),
)
VERSUS_PAGES = Table(
    "versus-pages",
    "one row for each page behind a measure",
    (
        Column("measure", "str", "what is measured", words=tuple(SiteMeasure)),
        Column("of", "str", "kind of page that it is measured of; empty for all"),
        Column("site", "str", "host of the site"),
        Column("url", "str", "page"),
    ),
    ("measure", "of", "site", "url"),
)

SMALL_GAIN_DECIMALS = 6
"""Decimals of a gain in link weight, which is a share of the whole site and would vanish in one decimal."""

INPUT_COLUMNS: Mapping[str, str] = {
    "url": "absolute address of the page (required)",
    "html": "raw HTML; where it is given, only url, status and redirect_url are taken from other columns",
    "text": "main text, paragraphs separated by line breaks",
    "title": "title",
    "description": "meta description",
    "h1": "H1",
    "status": "HTTP status, a whole number",
    "redirect_url": "target of a redirect",
    "canonical_url": "target of rel=canonical",
    "robots": "robots directives, such as noindex,follow",
    "language": "declared language, such as en or de-AT",
}
"""Columns understood in a table of pages given as a source."""

TARGET_COLUMNS: Mapping[str, str] = {
    "phrase": "phrase that is to rank (required)",
    "url": "address or path of the page meant for it (required)",
}
"""Columns understood in a file of targets."""

SIGNAL_COLUMNS: Mapping[str, str] = {
    "url": "absolute address of the page (required)",
    "external_links": "links from other sites",
    "conversions": "orders, requests or whatever counts as success, a month",
    "sessions": "visits a month",
    "index_state": "what a search engine says of the page, such as indexed",
}
"""Columns understood in a file of signals."""

SEARCH_COLUMNS: Mapping[str, str] = {
    "query": "what was searched (required)",
    "page": "address that was shown (required)",
    "clicks": "clicks, a whole number (required)",
    "impressions": "impressions, a whole number (required)",
    "position": "mean position, 1 is the top (required)",
    "date": "day, or first day of the week",
    "country": "country of the searchers",
    "device": "device of the searchers",
}
"""Columns understood in a search file."""
