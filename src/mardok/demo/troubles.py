"""The truth about the made-up site: what is wrong with it, and what only looks wrong.

In:  nothing; this table is written by hand.
Out: the troubles; the builder lays them in from here, and the tests check the audit against them.
"""

from __future__ import annotations

from mardok.vocabulary import VariantRule

HOST = "https://www.wyndale-violin-hire.example"
BARE = "https://wyndale-violin-hire.example"
INSECURE = "http://www.wyndale-violin-hire.example"

VARIANTS: dict[str, str] = {
    f"{INSECURE}/": "/",
    f"{INSECURE}/hire/prices/": "/hire/prices/",
    f"{INSECURE}/repairs/": "/repairs/",
    f"{INSECURE}/blog/how-to-tune-a-violin/": "/blog/how-to-tune-a-violin/",
    f"{BARE}/": "/",
    f"{BARE}/contact/": "/contact/",
    f"{BARE}/repairs/bow-rehair/": "/repairs/bow-rehair/",
    f"{HOST}/index.html": "/",
    f"{HOST}/repairs/index.html": "/repairs/",
    f"{HOST}/hire": "/hire/",
    f"{HOST}/Contact/": "/contact/",
    f"{HOST}/?utm_source=newsletter&utm_medium=email": "/",
    f"{HOST}/hire/prices/?utm_source=flyer": "/hire/prices/",
    f"{HOST}/instruments/?sort=price": "/instruments/",
    f"{HOST}/instruments/?view=list": "/instruments/",
    f"{HOST}/repairs/bow-rehair/?print=1": "/repairs/bow-rehair/",
    f"{HOST}/blog/how-to-tune-a-violin/?print=1": "/blog/how-to-tune-a-violin/",
    f"{HOST}/blog/how-to-apply-rosin/?print=1": "/blog/how-to-apply-rosin/",
}
"""Addresses that show another page, and the path of that page."""

VARIANT_RULES: tuple[tuple[VariantRule, str, int], ...] = (
    (VariantRule.SCHEME, "http > https", 4),
    (VariantRule.HOST, "wyndale-violin-hire.example > www.wyndale-violin-hire.example", 3),
    (VariantRule.INDEX_FILE_TO_FOLDER, "", 2),
    (VariantRule.SLASH_ADDED, "", 1),
    (VariantRule.LETTER_CASE, "", 1),
    (VariantRule.PARAMETER, "utm_*", 2),
    (VariantRule.PARAMETER, "sort", 1),
    (VariantRule.PARAMETER, "view", 1),
    (VariantRule.PRINT_VIEW, "", 3),
)
"""Rules that the plan must state for them, with the number of addresses."""

COPIES: dict[str, str] = {
    "/about-us/": "/about/",
    "/hire/terms/": "/terms/",
    "/news/winter-care/": "/blog/winter-care-for-your-violin/",
    "/bow-rehairing-service/": "/repairs/bow-rehair/",
    "/blog/violin-practice-for-beginners/": "/blog/violin-practice-for-beginners-updated/",
}
"""Copies that promise the same, and the page that should stay."""

SERIES: dict[str, tuple[str, ...]] = {
    "towns": (
        "/violin-hire/aldbrunn/", "/violin-hire/brackenwell/", "/violin-hire/cawsleigh/", "/violin-hire/dunnerby/",
        "/violin-hire/eddingvale/", "/violin-hire/harrowick/", "/violin-hire/ivelstone/", "/violin-hire/kettermoor/",
        "/violin-hire/lissendale/", "/violin-hire/oxenby-vale/", "/violin-hire/pellingdon/", "/violin-hire/quarnmoor/",
        "/violin-hire/skarrow/", "/violin-hire/westerhythe/",
    ),
    "sizes": (
        "/hire/sizes/1-16/", "/hire/sizes/1-10/", "/hire/sizes/1-8/", "/hire/sizes/1-4/", "/hire/sizes/1-2/",
        "/hire/sizes/3-4/", "/hire/sizes/4-4/",
    ),
}  # fmt: skip
"""Pages with one pasted text that promise different things."""

OWN_TEXT = ("/violin-hire/wyndale/", "/violin-hire/thistlemere/", "/violin-hire/marlstow/", "/violin-hire/fennimore-cross/")
"""Town pages that say enough of their own not to be copies."""

UNTRANSLATED: dict[str, str] = {
    "/de/lieferung/": "/delivery/",
    "/de/reparatur/stimmstock/": "/repairs/soundpost/",
    "/de/fragen/": "/faq/",
}
"""German addresses with English text, and the English page."""

UNLINKED: dict[str, tuple[str, ...]] = {
    "/repairs/crack-repair/": ("/blog/summer-heat-and-instruments/", "/blog/travelling-with-a-violin/"),
}
"""Pages that search shows in the middle ranks and few pages link to, and the posts that mention them."""

RIVALS: tuple[tuple[str, str], ...] = (
    ("/blog/how-to-tune-a-violin/", "/blog/tuning-your-violin-for-the-first-time/"),
    ("/blog/when-to-change-violin-strings/", "/blog/how-often-should-violin-strings-be-replaced/"),
    ("/blog/what-size-violin-does-my-child-need/", "/blog/violin-sizes-explained/"),
    ("/blog/rent-or-buy-a-violin/", "/blog/is-it-better-to-hire-or-buy-a-violin/"),
    ("/blog/how-to-apply-rosin/", "/blog/rosin-how-much-is-enough/"),
)
"""Posts on one question that take turns in search, in their own words: no copies."""

RIVAL_ACTIONS: dict[str, str] = {
    "/blog/tuning-your-violin-for-the-first-time/": "merge",
    "/blog/how-often-should-violin-strings-be-replaced/": "leave",
    "/blog/violin-sizes-explained/": "rewrite",
    "/blog/is-it-better-to-hire-or-buy-a-violin/": "leave",
    "/blog/rosin-how-much-is-enough/": "rewrite",
    "/hire/sizes/": "retitle",
    "/hire/": "leave",
    "/repairs/adjusting-the-soundpost/": "investigate",
}
"""What should become of the weaker page of each pair of rivals: these, two pages of different kinds, one far behind the home
page, and one of which only the wording is alike."""

REDIRECTS: dict[str, str] = {
    "/violin-rental/": "/hire/",
    "/news/": "/blog/",
    "/old-prices.html": "/prices-2023/",
    "/prices-2023/": "/hire/prices/",
    "/bow-service/": "/bow-rehairing-service/",
    "/strings-sale/": "/spring-offer/",
    "/spring-offer/": "/strings-sale/",
    "/summer-camp/": "/events/summer-camp/",
}
CHAINS = ("/old-prices.html",)
LOOPS = ("/strings-sale/", "/spring-offer/")
BROKEN_REDIRECTS = ("/summer-camp/",)
NOT_FOUND = ("/events/summer-camp/", "/blog/the-lost-post/")
NOINDEX = ("/thank-you/", "/search/?q=bow")
ROBOTS_BLOCKED = ("/basket/",)
CANONICAL_ELSEWHERE: dict[str, str] = {
    "/hire/student/": "/hire/",
    "/hire/weddings/": "/violin-rental/",
    "/hire/festivals/": "/events/summer-camp/",
}
CANONICAL_REDIRECTED = ("/hire/weddings/",)
CANONICAL_BROKEN = ("/hire/festivals/",)
HREFLANG_ONE_WAY = ("/de/schulen/",)

NOT_FIT_FOR_SITEMAP = ("/thank-you/",)
"""Pages in the sitemap that are not indexable."""
ORPHANS = (
    "/about-us/", "/blog/tag/cello/", "/bow-rehairing-service/", "/de/blog/geige-im-winter/", "/de/blog/geige-stimmen/",
    "/de/fragen/", "/de/lieferung/", "/de/reparatur/bogen-neu-behaaren/", "/de/reparatur/stimmstock/", "/de/schulen/",
    "/hire/terms/", "/news/winter-care/",
)  # fmt: skip
"""Pages that only the sitemap leads to."""

TITLE_MISSING = ("/instruments/metronome/",)
TITLE_DUPLICATE = (
    "/about/", "/about-us/", "/terms/", "/hire/terms/", "/blog/winter-care-for-your-violin/", "/news/winter-care/",
)  # fmt: skip
TITLE_LONG = ("/", "/de/")
TITLE_SHORT = ("/team/",)
TITLE_EMPTY_WORDS = ("/de/ueber-uns/",)
DESCRIPTION_MISSING = ("/instruments/metronome/", "/instruments/pernambuco-bow/", "/instruments/shoulder-rest/", "/careers/")
DESCRIPTION_DUPLICATE = (*TITLE_DUPLICATE, *SERIES["sizes"])
DESCRIPTION_LONG = ("/repairs/fingerboard/",)
DESCRIPTION_SHORT = "/blog/tag/beginners/"
"""First of the tag pages, whose template makes all their descriptions."""
DESCRIPTION_STUFFED = ("/instruments/electric-violin/",)
DESCRIPTION_LANGUAGE = ("/de/preise/",)
H1_MISSING = ("/careers/",)
H1_SEVERAL = ("/faq/",)
H1_IMAGE = ("/gift-vouchers/",)
H1_HIDDEN = ("/hire/schools/",)
H1_DUPLICATE = (
    *TITLE_DUPLICATE, "/bow-rehairing-service/", "/repairs/bow-rehair/", "/blog/violin-practice-for-beginners/",
    "/blog/violin-practice-for-beginners-updated/",
)  # fmt: skip
HEADING_REPEATED = "Visit the workshop"
"""In the footer of every page."""
HEADING_SKIPPED = ("/team/",)
IMAGE_ALT_MISSING = ("/team/",)
INSECURE_PARTS = ("/team/",)
LINK_BROKEN = ("/repairs/varnish/",)
LINK_REDIRECTED = "/violin-rental/"
"""In the mobile menu of every page."""
LINK_TEXT_EMPTY = ("/repairs/pegs/",)
DOUBLE_ESCAPED = ("/hire/schools/",)
ENCODING_BROKEN = ("/gift-vouchers/",)
THIN = ("/instruments/shoulder-rest/", "/instruments/metronome/")
RIGHTLY_SHORT = ("/contact/", "/careers/", "/rental-calculator/", "/de/kontakt/", "/thank-you/", "/basket/")
"""Short pages that do their task."""
MENTIONS_WITHOUT_LINK = (
    ("rental calculator", ("/", "/blog/rent-or-buy-a-violin/")),
    ("size guide", ("/faq/",)),
)
"""Phrases that pages use without a link to the page that should get it."""
BOILERPLATE = "Every hire includes insurance against theft, fire, water and accident within fifty miles of the workshop"
"""Beginning of a paragraph pasted on every instrument page."""
SLIPS: dict[str, tuple[str, str]] = {
    "/blog/how-to-tune-a-violin/": ("tune together ring", "tune togehter ring"),
    "/blog/when-to-change-violin-strings/": ("so that the bridge", "so that the the bridge"),
    "/blog/how-often-should-violin-strings-be-replaced/": ("An orchestra player", "A orchestra player"),
    "/violin-hire/westerhythe/": ("01632 960142", "01632 960124"),
}
"""Pages with what should stand there and what does."""
MISSPELT = ("/blog/how-to-tune-a-violin/",)
MISSPELT_IN_TEMPLATE = "recieve"
"""A word of the text that is pasted on the pages of towns."""
DOUBLED_WORD = ("/blog/when-to-change-violin-strings/",)
WRONG_ARTICLE = ("/blog/how-often-should-violin-strings-be-replaced/",)
CONTRADICTS = ("/violin-hire/westerhythe/",)
"""Another telephone number than all other towns have."""
CONTRADICTS_IN_COPIES = ("/blog/violin-practice-for-beginners/", "/bow-rehairing-service/")
"""Another day, and another price, than the page that stays."""
SITE_NAME = "Wyndale Violin Hire"
"""In every title, and itself the main phrase of the firm."""


def url(path: str) -> str:
    """Address of a path at the preferred host."""
    return HOST + path
