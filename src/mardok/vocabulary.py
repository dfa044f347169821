"""Every fixed word of Mardok: what stands in tables as one of a few values, and the rules that decided.

In:  nothing.
Out: enumerations. What a reader is told is made from them by :mod:`mardok.sentences`, at the end.
"""

from __future__ import annotations

from collections.abc import Mapping
from enum import IntEnum, StrEnum


class Ranked(StrEnum):
    """Words in an order."""

    @property
    def rank(self) -> int:
        """Its place in the order, from 0."""
        return list(type(self)).index(self)


class Action(StrEnum):
    """What a proposal does."""

    MERGE = "merge"
    CANONICAL = "canonical"
    REWRITE = "rewrite"
    RETITLE = "retitle"
    EXPAND = "expand"
    TRIM = "trim"
    LINK = "link"
    NOINDEX = "noindex"
    RETIRE = "retire"
    TRANSLATE = "translate"
    REPAIR = "repair"
    INVESTIGATE = "investigate"
    LEAVE = "leave"


class StepKind(StrEnum):
    """What a step does to one address."""

    REDIRECT = "redirect"
    CANONICAL = "canonical"
    MOVE_TEXT = "move_text"
    REWRITE = "rewrite"
    RETITLE = "retitle"
    EXPAND = "expand"
    TRIM = "trim"
    NOINDEX = "noindex"
    RETIRE = "retire"
    TRANSLATE = "translate"
    REPAIR = "repair"
    RELINK = "relink"
    SITEMAP = "sitemap"
    LEAVE = "leave"
    INVESTIGATE = "investigate"


MERGING = (Action.MERGE, Action.CANONICAL)
"""Actions by which pages become one."""
STRUCTURAL_STEPS = (StepKind.REDIRECT, StepKind.CANONICAL, StepKind.NOINDEX, StepKind.RETIRE)
"""Steps that settle what becomes of an address; it gets at most one of them."""


class Owner(StrEnum):
    """Whose work a proposal is."""

    SERVER = "server"
    DEVELOPER = "developer"
    WRITER = "writer"
    EDITOR = "editor"


class Evidence(Ranked):
    """What a finding rests on, weakest first."""

    WORDING = "wording"
    TEXT = "text"
    SEARCH = "search"


class Confidence(Ranked):
    """How sure the advice is, least first."""

    LOW = "low"
    MEDIUM = "medium"
    HIGH = "high"


class GroupKind(StrEnum):
    """What makes pages a group."""

    VARIANTS = "variants"
    COPIES = "copies"
    SERIES = "series"
    RIVALS = "rivals"


class GroupRole(StrEnum):
    """What a page is in its group."""

    KEEPER = "keeper"
    MEMBER = "member"


class PageKind(StrEnum):
    """What a page is for."""

    NONE = ""
    HOME = "home"
    ARTICLE = "article"
    PRODUCT = "product"
    SERVICE = "service"
    LISTING = "listing"
    UTILITY = "utility"
    TOOL = "tool"
    MEDIA = "media"


class KindSign(StrEnum):
    """What the kind of a page rests on."""

    NONE = ""
    SETTINGS = "settings"
    HOME_ADDRESS = "home-address"
    UTILITY_ADDRESS = "utility-address"
    TITLE = "title"
    PASSWORD = "password"
    PAGINATION = "pagination"
    SEVERAL_OF_ONE_TYPE = "several-of-one-type"
    STRUCTURED_DATA = "structured-data"
    OG_TYPE = "og-type"
    TAG = "tag"
    LINKED_PAGES = "linked-pages"
    FORM_FIELDS = "form-fields"
    PLAYER = "player"
    PICTURES = "pictures"
    FOLDER = "folder"
    RUNNING_TEXT = "running-text"


class PromiseField(StrEnum):
    """Where pages promise the same."""

    TITLE = "title"
    TARGET_PHRASE = "target-phrase"


class StepUnit(StrEnum):
    """What a row of search data stands for."""

    DAY = "day"
    WEEK = "week"
    MONTH = "month"


class ShareOf(StrEnum):
    """What the overlap of two pages' queries is a share of."""

    CLICKS = "clicks"
    IMPRESSIONS = "impressions"


class Failure(StrEnum):
    """Why a page fails although it answers 200."""

    NONE = ""
    FRAME = "frame"
    FURNITURE = "furniture"
    NO_TEXT = "no text"
    ERROR_TEXT = "error text"


class GainUnit(Ranked):
    """Units of a gain, the one that counts more first."""

    CLICKS = "clicks/month"
    LINK_WEIGHT = "link weight"


class Decision(StrEnum):
    """What a person decided about a proposal."""

    NONE = ""
    ACCEPT = "accept"
    REJECT = "reject"
    LATER = "later"


class Answer(StrEnum):
    """Yes, no, or not asked."""

    NONE = ""
    NO = "no"
    YES = "yes"


class Band(IntEnum):
    """The parts of a plan, the most urgent first: what keeps clicks or many pages from being found, what gains, the rest."""

    BROKEN = 1
    GAIN = 2
    TIDYING = 3


class VariantRule(StrEnum):
    """How the address of a variant differs from the one that stays."""

    NONE = ""
    PARAMETER = "parameter"
    PRINT_VIEW = "print-view"
    SCHEME = "scheme"
    HOST = "host"
    INDEX_FILE_TO_FOLDER = "index-file-to-folder"
    FOLDER_TO_INDEX_FILE = "folder-to-index-file"
    LETTER_CASE = "letter-case"
    SLASH_ADDED = "slash-added"
    SLASH_REMOVED = "slash-removed"


class CopyRule(StrEnum):
    """The row of the table of actions that decided about variants or copies."""

    VARIANTS_REDIRECTED = "variants-redirected"
    VARIANTS_REACHABLE = "variants-reachable"
    SAME_PROMISE = "copies-same-promise"
    KEPT_REACHABLE = "copies-kept-reachable"
    ASKED_FOR = "copies-asked-for"
    MAYBE_ASKED_FOR = "copies-maybe-asked-for"
    NOT_ASKED_FOR = "copies-not-asked-for"
    DIFFERENT = "copies-different"
    ALTERNATES = "copies-alternates"
    EXCEPTION = "copies-exception"


class ContainedRule(StrEnum):
    """The row that decided about a page most of which stands on another."""

    MANUAL = "contained-manual"
    MANUAL_OUTRANKS = "contained-manual-outranks"
    SAME_PROMISE = "contained-same-promise"
    OTHER_PROMISE = "contained-other-promise"


class RivalRule(StrEnum):
    """The row that decided about two rivals."""

    WORDING_ONLY = "rivals-wording-only"
    LEADER_IN_FRONT = "rivals-leader-in-front"
    BOTH_ON_FIRST_PAGE = "rivals-both-on-first-page"
    DIFFERENT_KINDS = "rivals-different-kinds"
    UNREAD_LEADER = "rivals-unread-leader"
    NO_DAYS = "rivals-no-days"
    SAME_INTENT = "rivals-same-intent"
    LESS_OVERLAP = "rivals-less-overlap"
    NOTHING_LOST = "rivals-nothing-lost"
    OTHERS_LEAD_HERE = "rivals-others-lead-here"
    TWO_BRING_MORE = "rivals-two-bring-more"
    EXCEPTION = "rivals-exception"


class ThinRule(StrEnum):
    """The row that decided about a page with few words of its own."""

    NONE = ""
    ASKED_FOR = "thin-asked-for"
    WELL_PLACED = "thin-well-placed"
    RELATIVE = "thin-relative"
    SMALL_TAG = "thin-small-tag"
    NO_CLICKS = "thin-no-clicks"
    FORGOTTEN = "thin-forgotten"
    WAIT = "thin-wait"


class ThinObstacle(StrEnum):
    """Why a thin page stays although by itself it would go."""

    NONE = ""
    HOME = "home"
    KEPT = "kept"
    POINTED_AT = "pointed-at"
    LOSS = "loss"
    OTHER_PROMISE = "other-promise"
    LINKED_EVERYWHERE = "linked-everywhere"
    TARGET_BUSY = "target-busy"
    TARGET_NOT_INDEXABLE = "target-not-indexable"
    TAKES_OVER = "takes-over"


class NameRule(StrEnum):
    """The row that decided about a site's name with a wanted phrase."""

    NO_SEARCH_DATA = "site-name-no-search-data"
    NO_QUERY = "site-name-no-query"
    TURNS = "site-name-turns"
    LOSS = "site-name-loss"
    HARMLESS = "site-name-harmless"


class LinkRule(StrEnum):
    """The row that decided about links that wait to be made."""

    SHOWN = "link-shown"
    NAMED = "link-named"
    ORPHAN = "link-orphan"
    DEEP = "link-deep"


class ParentSign(StrEnum):
    """Why a page is the one that should link to another."""

    BREADCRUMBS = "breadcrumbs"
    ADDRESS = "address"
    MENTION = "mention"
    HOME = "home"


class OtherRule(StrEnum):
    """The rows that decide about one thing each."""

    PASTED_TEXT = "pasted-text"
    UNTRANSLATED = "untranslated"
    FILTER_ASKED_FOR = "filter-asked-for"
    FILTER_NOT_ASKED_FOR = "filter-not-asked-for"
    BLOCKING = "repair-blocking"
    BROKEN = "repair-broken"
    UNTIDY = "repair-untidy"


Rule = CopyRule | ContainedRule | RivalRule | ThinRule | NameRule | LinkRule | OtherRule
"""A row of the table of actions."""
RULES: tuple[Rule, ...] = (
    *CopyRule, *ContainedRule, *RivalRule, *ThinRule, *NameRule, *LinkRule, *OtherRule,
)  # fmt: skip


class NoindexReason(StrEnum):
    """Why a page is not indexable."""

    UNREADABLE = "unreadable"
    REDIRECT = "redirect"
    STATUS = "status"
    NOT_HTML = "not-html"
    NOINDEX = "noindex"
    CANONICAL_ON_OTHER_HOST = "canonical-on-other-host"
    CANONICAL_ELSEWHERE = "canonical-elsewhere"
    CANONICAL_TO_ERROR = "canonical-to-error"
    ROBOTS = "robots"


class CrawlEnd(StrEnum):
    """How a crawl ended."""

    UNKNOWN = ""
    COMPLETE = "complete"
    LIMIT = "limit"
    STOPPED = "stopped"


class SkipReason(StrEnum):
    """Why a crawl does not fetch an address, where a setting is not the reason."""

    ROBOTS = "robots.txt"
    ROBOTS_FAILED = "robots.txt cannot be had"
    OTHER_HOSTS = "other hosts"
    NOT_UNDERSTOOD = "not understood: what it leads to cannot be read"
    NOTHING_NEW = "parameters that change nothing"
    NOT_RENDERED = "not rendered: scripts without an end"


class NotComputed(StrEnum):
    """What an audit could not compute from what it was given."""

    SEARCH = "search"
    ROBOTS = "robots"
    SITEMAPS = "sitemaps"
    IMAGES = "images"
    SCRIPT_WORDS = "script-words"
    TEXTS = "texts"
    TITLES = "titles"
    LINKS = "links"
    STATUS = "status"


class BlockReason(StrEnum):
    """Why a block is not main text, beside the landmark it stands in."""

    MAIN = ""
    DOUBT = "doubt"
    MENU = "menu"
    NAMED_PART = "named part"
    TEMPLATE = "template"
    EDGE = "edge"
    NOTICE = "notice"
    OUTSIDE_MAIN = "outside main"
    IGNORED = "in text.ignore"
    NOT_CHOSEN = "not in text.only"
    BOILERPLATE = "boilerplate"


class SlotKind(StrEnum):
    """What stands in a sentence in the place of which other pages say something else."""

    PRICE = "price"
    HOUR = "hour"
    TELEPHONE = "telephone"
    DATE = "date"
    NUMBER = "number"


class SlipPlace(StrEnum):
    """What a slip stands in."""

    BOILERPLATE = "boilerplate"
    TEMPLATE = "template"
    """The same words on many pages, in texts that differ otherwise."""
    PASSAGE = "passage"
    """A text that several pages have."""
    PAGE = "page"


class CheckId(StrEnum):
    """What can be wrong with a page: its subject, and the trouble."""

    TITLE_MISSING = "title-missing"
    TITLE_DUPLICATE = "title-duplicate"
    TITLE_LONG = "title-long"
    TITLE_SHORT = "title-short"
    TITLE_EMPTY_WORDS = "title-empty-words"
    DESCRIPTION_MISSING = "description-missing"
    DESCRIPTION_DUPLICATE = "description-duplicate"
    DESCRIPTION_LONG = "description-long"
    DESCRIPTION_SHORT = "description-short"
    DESCRIPTION_STUFFED = "description-stuffed"
    DESCRIPTION_LANGUAGE = "description-language"
    SOCIAL_MISSING = "social-missing"
    H1_MISSING = "h1-missing"
    H1_SEVERAL = "h1-several"
    H1_DUPLICATE = "h1-duplicate"
    H1_IMAGE = "h1-image"
    H1_HIDDEN = "h1-hidden"
    H2_MISSING = "h2-missing"
    H2_DUPLICATE = "h2-duplicate"
    H2_LONG = "h2-long"
    HEADING_SKIPPED = "heading-skipped"
    HEADING_FLAT = "heading-flat"
    HEADING_REPEATED = "heading-repeated"
    IMAGE_ALT_MISSING = "image-alt-missing"
    IMAGE_BROKEN = "image-broken"
    LINK_BROKEN = "link-broken"
    LINK_REDIRECTED = "link-redirected"
    LINK_TEXT_EMPTY = "link-text-empty"
    REDIRECT_CHAIN = "redirect-chain"
    REDIRECT_LOOP = "redirect-loop"
    REDIRECT_BROKEN = "redirect-broken"
    CANONICAL_BROKEN = "canonical-broken"
    CANONICAL_REDIRECTED = "canonical-redirected"
    CANONICAL_NOINDEX = "canonical-noindex"
    CANONICAL_CHAIN = "canonical-chain"
    CANONICAL_SEVERAL = "canonical-several"
    CANONICAL_OTHER_HOST = "canonical-other-host"
    CANONICAL_HREFLANG = "canonical-hreflang"
    HREFLANG_ONE_WAY = "hreflang-one-way"
    HREFLANG_BROKEN = "hreflang-broken"
    TEXT_UNTRANSLATED = "text-untranslated"
    TEXT_DOUBLE_ESCAPED = "text-double-escaped"
    TEXT_ENCODING_BROKEN = "text-encoding-broken"
    TEXT_MISSPELT = "text-misspelt"
    TEXT_VARIANTS_MIXED = "text-variants-mixed"
    TEXT_DOUBLED_WORD = "text-doubled-word"
    TEXT_COMMA = "text-comma"
    TEXT_BRACKET = "text-bracket"
    TEXT_ARTICLE = "text-article"
    TEXT_CAPITAL = "text-capital"
    TEXT_LEFTOVER = "text-leftover"
    TEXT_CONTRADICTS = "text-contradicts"
    PAGE_ORPHAN = "page-orphan"
    LINK_BLOCKED = "link-blocked"
    SITE_CLOSED = "site-closed"
    ROBOTS_HTML = "robots-html"
    SITEMAP_HTML = "sitemap-html"
    SITEMAP_NOT_INDEXABLE = "sitemap-not-indexable"
    PAGE_EMPTY = "page-empty"
    PAGE_SOFT_404 = "page-soft-404"
    PAGE_PART_BROKEN = "page-part-broken"
    PAGE_INSECURE_PARTS = "page-insecure-parts"
    VARIANT_ANSWERS = "variant-answers"


WORD_CHECKS = (
    CheckId.TEXT_MISSPELT, CheckId.TEXT_DOUBLED_WORD, CheckId.TEXT_COMMA, CheckId.TEXT_BRACKET, CheckId.TEXT_ARTICLE,
    CheckId.TEXT_CAPITAL, CheckId.TEXT_LEFTOVER,
)  # fmt: skip
"""Checks each of whose troubles is one word or sign."""


class Outcome(StrEnum):
    """What became of a step."""

    DONE = "done"
    PARTLY = "partly"
    OTHERWISE = "otherwise"
    NOT_DONE = "not-done"
    UNDONE = "undone"
    NOT_TESTABLE = "not-testable"


class Found(StrEnum):
    """What a later audit found where a step was to be done."""

    UNSEEN = "unseen"
    NO_STATUS = "no-status"
    NO_TEXTS = "no-texts"
    NO_SITEMAP = "no-sitemap"
    NOT_CHECKED = "not-checked"
    NOT_ASKED = "not-asked"
    JUDGEMENT = "judgement"
    PAGE_GONE = "page-gone"
    STAYS = "stays"
    STILL_ANSWERS = "still-answers"
    AS_BEFORE = "as-before"
    GONE = "gone"
    MOVED = "moved"
    NOT_INDEXABLE = "not-indexable"
    REDIRECT_RIGHT = "redirect-right"
    REDIRECT_TEMPORARY = "redirect-temporary"
    REDIRECT_REFRESH = "redirect-refresh"
    REDIRECT_CHAIN = "redirect-chain"
    REDIRECT_HOME = "redirect-home"
    REDIRECT_SOFT_404 = "redirect-soft-404"
    REDIRECT_ERROR = "redirect-error"
    REDIRECT_LOOP = "redirect-loop"
    REDIRECT_ELSEWHERE = "redirect-elsewhere"
    TARGET_UNSEEN = "target-unseen"
    TARGET_ERROR = "target-error"
    TARGET_SOFT_404 = "target-soft-404"
    TARGET_NOT_INDEXABLE = "target-not-indexable"
    CANONICAL_RIGHT = "canonical-right"
    CANONICAL_MISSING = "canonical-missing"
    CANONICAL_ELSEWHERE = "canonical-elsewhere"
    CANONICAL_SEVERAL = "canonical-several"
    CANONICAL_RELATIVE = "canonical-relative"
    CANONICAL_INSTEAD = "canonical-instead"
    NOINDEX_RIGHT = "noindex-right"
    STILL_INDEXABLE = "still-indexable"
    RETIRED = "retired"
    SOFT_404 = "soft-404"
    NOT_LISTED = "not-listed"
    LISTED = "listed"
    NOW_INDEXABLE = "now-indexable"
    TEXT_ARRIVED = "text-arrived"
    TEXT_PARTLY = "text-partly"
    TEXT_MISSING = "text-missing"
    NOTHING_TO_MOVE = "nothing-to-move"
    APART = "apart"
    LESS_ALIKE = "less-alike"
    STILL_ALIKE = "still-alike"
    TEXT_UNCHANGED = "text-unchanged"
    RETITLED = "retitled"
    TITLE_UNCHANGED = "title-unchanged"
    TITLE_STILL_SAYS = "title-still-says"
    TITLE_MISSING = "title-missing"
    TITLE_TAKEN = "title-taken"
    LINKED = "linked"
    LINKED_PARTLY = "linked-partly"
    NOT_LINKED = "not-linked"
    LINKS_AS_BEFORE = "links-as-before"
    LINK_DROPPED = "link-dropped"
    EXPANDED = "expanded"
    EXPANDED_PARTLY = "expanded-partly"
    NOT_EXPANDED = "not-expanded"
    TRIMMED = "trimmed"
    TRIMMED_PARTLY = "trimmed-partly"
    NOT_TRIMMED = "not-trimmed"
    TRANSLATED = "translated"
    STILL_UNTRANSLATED = "still-untranslated"
    OTHER_LANGUAGE = "other-language"
    REPAIRED = "repaired"
    REPAIRED_PARTLY = "repaired-partly"
    CHANGED_NOT_REPAIRED = "changed-not-repaired"
    NOT_REPAIRED = "not-repaired"
    TEMPLATE_LEFT = "template-left"


class Subject(StrEnum):
    """What two audits are compared by."""

    PROPOSAL = "proposal"
    GROUP = "group"
    RIVALS = "rivals"
    THIN = "thin"
    CHECK = "check"


class Change(StrEnum):
    """What became of a finding."""

    GONE = "gone"
    BETTER = "better"
    LEFT = "left"
    WORSE = "worse"
    NEW = "new"
    NEW_PAGE = "new-page"
    NOT_SEEN = "not-seen"


class Measure(StrEnum):
    """What an effect is measured in."""

    CLICKS = "clicks"
    IMPRESSIONS = "impressions"
    POSITION = "position"


class SiteMeasure(StrEnum):
    """What sites are compared by."""

    INDEXABLE = "indexable"
    OWN_WORDS = "own-words"
    SHARED_WORDS = "shared-words"
    BOILERPLATE_WORDS = "boilerplate-words"
    COPIED = "copied"
    THIN = "thin"
    WORDS = "words"
    TITLES = "titles"
    DESCRIPTIONS = "descriptions"
    HEADINGS = "headings"
    BROKEN_LINKS = "broken-links"
    REDIRECTED_LINKS = "redirected-links"
    ALT_TEXTS = "alt-texts"
    DEPTH = "depth"
    ORPHANS = "orphans"
    LANGUAGE = "language"


class MeasureUnit(StrEnum):
    """Units of what sites are compared by."""

    SHARE = "share"
    WORDS = "words"
    LINKS = "links"


class CauseKind(StrEnum):
    """What a large part of a measure comes from."""

    NONE = ""
    SECTION = "section"
    TEMPLATE = "template"


class Chance(StrEnum):
    """Whether a difference between two sites is more than chance."""

    NONE = ""
    MORE = "more-than-chance"
    WITHIN = "within-chance"
    TOO_FEW = "too-few-sections"


class PhraseField(StrEnum):
    """Where a page holds a phrase."""

    TITLE = "title"
    H1 = "h1"
    ADDRESS = "address"
    LINKS = "links"
    HEADINGS = "headings"
    DESCRIPTION = "description"
    FIRST_SENTENCE = "first-sentence"
    TEXT = "text"


class TopicVerdict(StrEnum):
    """How a site stands for one phrase."""

    NOBODY = "nobody"
    ONE = "one"
    ONE_UNSEARCHED = "one-unsearched"
    SEVERAL = "several"
    SEVERAL_UNSEARCHED = "several-unsearched"
    OTHER_LEADS = "other-leads"
    UNPROMISED = "unpromised"
    NOT_SHOWN = "not-shown"


class MeantBy(StrEnum):
    """Why a page is the one meant for a phrase."""

    TARGETS = "targets"
    PROMISE = "promise"


class Gap(StrEnum):
    """What pages of others have and ours has not, the surest first."""

    QUESTION = "question"
    HEADING = "heading"
    TABLE = "table"
    LIST = "list"
    PHRASE = "phrase"
    WORD = "word"


class DraftAdvice(StrEnum):
    """What follows for a page that is not published yet."""

    GO_ON = "go-on"
    EXTEND = "extend"
    TELL_APART = "tell-apart"


class DraftRule(StrEnum):
    """Why a draft is not to be published as it is."""

    COPY = "copy"
    COPY_OF_OTHER = "copy-of-other"
    CONTAINED = "contained"
    CONTAINED_IN_OTHER = "contained-in-other"
    HOLDS = "holds"
    HOLDS_OTHER = "holds-other"
    HOLDS_TWO = "holds-two"
    PATCHED = "patched"
    NAMED = "named"
    PROMISED_AND_SHOWN = "promised-and-shown"
    SHOWN = "shown"
    PROMISED = "promised"
    DRAFT_ALIKE = "draft-alike"
    DRAFT_PROMISES = "draft-promises"


STEPS_OF_ACTION: Mapping[Action, tuple[StepKind, ...]] = {
    Action.MERGE: (
        StepKind.REDIRECT,
        StepKind.CANONICAL,
        StepKind.MOVE_TEXT,
        StepKind.RETITLE,
        StepKind.RELINK,
        StepKind.SITEMAP,
        StepKind.LEAVE,
    ),
    Action.CANONICAL: (StepKind.CANONICAL, StepKind.REDIRECT, StepKind.RELINK, StepKind.SITEMAP, StepKind.LEAVE),
    Action.REWRITE: (StepKind.REWRITE, StepKind.RETITLE, StepKind.RELINK, StepKind.LEAVE),
    Action.RETITLE: (StepKind.RETITLE, StepKind.RELINK, StepKind.LEAVE),
    Action.EXPAND: (StepKind.EXPAND, StepKind.LEAVE),
    Action.TRIM: (StepKind.TRIM, StepKind.RELINK, StepKind.LEAVE),
    Action.LINK: (StepKind.RELINK, StepKind.LEAVE),
    Action.NOINDEX: (StepKind.NOINDEX, StepKind.SITEMAP, StepKind.RELINK, StepKind.LEAVE),
    Action.RETIRE: (StepKind.RETIRE, StepKind.REDIRECT, StepKind.RELINK, StepKind.SITEMAP, StepKind.LEAVE),
    Action.TRANSLATE: (StepKind.TRANSLATE, StepKind.NOINDEX, StepKind.RELINK, StepKind.LEAVE),
    Action.REPAIR: (StepKind.REPAIR, StepKind.REDIRECT, StepKind.RELINK, StepKind.RETITLE, StepKind.SITEMAP, StepKind.LEAVE),
    Action.INVESTIGATE: (StepKind.INVESTIGATE, StepKind.LEAVE),
    Action.LEAVE: (StepKind.LEAVE,),
}
"""Steps that a proposal of each action may hold."""
