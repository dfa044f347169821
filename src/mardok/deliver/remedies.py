"""What each trouble costs, and what mends it.

In:  a check id.
Out: two sentences for people who have to do something about it.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class Remedy:
    """Two sentences about a trouble."""

    cost: str
    """What it costs."""
    mend: str
    """What to do about it."""


REMEDIES: Mapping[str, Remedy] = {
    "title-missing": Remedy(
        "Search results show an address or some words of the page instead of a title, and fewer people choose it.",
        "Give the page a title that says what only this page offers.",
    ),
    "title-duplicate": Remedy(
        "Searchers and search engines cannot tell the pages apart by their titles.",
        "Say in each title what is different there; where nothing is, merge the pages.",
    ),
    "title-long": Remedy(
        "The end of the title is cut off in search results, often just what tells the page apart.",
        "Put what matters first, and leave out what every title repeats.",
    ),
    "title-short": Remedy(
        "A word or two do not tell a searcher why to choose this page.",
        "Say what the page offers, for whom or where.",
    ),
    "title-empty-words": Remedy(
        "The title would fit any page of any site, so nobody finds the page by it.",
        "Name the thing that the page is about.",
    ),
    "description-missing": Remedy(
        "Search results show a cutting from the page that nobody chose.",
        "Write a sentence or two that say what a visitor gets there.",
    ),
    "description-duplicate": Remedy(
        "Several results say the same of different pages; most search engines then ignore the description.",
        "Write one for each page, or leave it out where the page speaks for itself.",
    ),
    "description-long": Remedy(
        "The end of the description is cut off in search results.",
        "Say what matters in the first hundred and fifty letters or so.",
    ),
    "description-short": Remedy(
        "A few words use little of the room that a search result has to invite a click.",
        "Say what a visitor gets on the page, and what to do there.",
    ),
    "description-stuffed": Remedy(
        "Words that are repeated over and over read like spam, to people and to search engines.",
        "Say it once, in a sentence that somebody would read aloud.",
    ),
    "description-language": Remedy(
        "A searcher sees two languages in one result and trusts neither.",
        "Write the description in the language of the page.",
    ),
    "social-missing": Remedy(
        "Where the page is shared, networks show a title or picture of their own choice, or none.",
        "Let the template write og:title and og:image, as it does on the other pages.",
    ),
    "h1-missing": Remedy(
        "Neither visitors nor screen readers are told at the top what the page is about.",
        "Mark the visible headline of the page as its H1.",
    ),
    "h1-several": Remedy(
        "Several headlines of the first rank leave open what the page is about.",
        "Keep one H1 and make the others H2.",
    ),
    "h1-duplicate": Remedy(
        "Visitors who come from one of the pages to another see no difference.",
        "Say in each H1 what is different there; where nothing is, merge the pages.",
    ),
    "h1-image": Remedy(
        "Words in an image are read by neither search engines nor everybody's screen reader, and do not grow with the text.",
        "Write the headline as text and style it, or give the image its words as alt text.",
    ),
    "h1-hidden": Remedy(
        "A headline that visitors do not see is worth little, and may be taken for a trick.",
        "Show it, or make the headline that visitors do see the H1.",
    ),
    "h2-missing": Remedy(
        "The outline has a gap: who listens to the page or skims it cannot tell its main parts.",
        "Raise the headings of its main parts to H2.",
    ),
    "h2-duplicate": Remedy(
        "Two parts of the page cannot be told apart in its outline.",
        "Say in each heading what only that part holds, or join the parts.",
    ),
    "h2-long": Remedy(
        "A sentence in the place of a heading says at a glance what nobody reads at a glance.",
        "Shorten it to what the part is about; the rest belongs into its first sentence.",
    ),
    "heading-skipped": Remedy(
        "Who moves through a page by its headings thinks that a part is missing.",
        "Use the next level; what it looks like is a matter of style, not of level.",
    ),
    "heading-flat": Remedy(
        "A long text without headings is hard to skim, and search engines cannot point into it.",
        "Put a heading above each part that answers a question of its own.",
    ),
    "heading-repeated": Remedy(
        "Headings of menus and banners stand in the outline of every page beside its own.",
        "Mark them as plain text, or as the label of their navigation, in the template.",
    ),
    "image-alt-missing": Remedy(
        "People who do not see the image learn nothing of it, and image search has no words for it.",
        "Describe the image in a few words, or set an empty alt where it is mere decoration.",
    ),
    "image-broken": Remedy(
        "Visitors see a gap where the image should be.",
        "Put the image back, or take the element out.",
    ),
    "link-broken": Remedy(
        "Visitors who follow the link see an error, and what the link is worth is lost.",
        "Lead the link to the page that took its place, or take it out.",
    ),
    "link-redirected": Remedy(
        "Every visitor and crawler takes a detour, and one more thing can break.",
        "Let the link lead to the final address; one edit does where it stands in a template.",
    ),
    "link-text-empty": Remedy(
        "Words such as 'click here' tell nobody where the link leads, least of all who hears links read out.",
        "Make those words the link that name the page it leads to.",
    ),
    "redirect-chain": Remedy(
        "Each further hop takes time, and crawlers give up after some.",
        "Let each redirect lead to the final address at once.",
    ),
    "redirect-loop": Remedy(
        "Nobody ever arrives: browsers give up and show an error.",
        "Decide which address is to answer, and take its redirect out.",
    ),
    "redirect-broken": Remedy(
        "Who follows the old address ends at an error, as if there were no redirect.",
        "Lead it to a page that answers, or let it say that the page is gone (410).",
    ),
    "canonical-broken": Remedy(
        "The page asks search engines to list an address that does not answer, so it may not be listed at all.",
        "Name the page itself, or the address that does answer.",
    ),
    "canonical-redirected": Remedy(
        "Search engines are sent on from where they were told to look, and may choose another address by themselves.",
        "Name the address that the redirect leads to.",
    ),
    "canonical-noindex": Remedy(
        "The page hands its place to one that must not be listed: both may vanish from search.",
        "Name a page that may be listed, or lift the noindex.",
    ),
    "canonical-chain": Remedy(
        "Search engines follow one canonical, seldom two, and choose for themselves then.",
        "Name the last address of the chain at once.",
    ),
    "canonical-several": Remedy(
        "Where a page names two canonical addresses, search engines ignore both.",
        "Keep one; look for a second one in headers and plug-ins.",
    ),
    "canonical-other-host": Remedy(
        "Search engines are told to list the page of another host instead of this one.",
        "Name the page's own address as canonical, unless the other host is meant to be found in its place.",
    ),
    "canonical-hreflang": Remedy(
        "A language version names another as canonical, which takes it out of the set of languages.",
        "Let each language version name itself as canonical.",
    ),
    "hreflang-return-missing": Remedy(
        "Alternates count only if both pages name each other, so this one is ignored.",
        "Name the page on its alternate, too.",
    ),
    "hreflang-broken": Remedy(
        "Searchers of that language are shown a page that does not answer or must not be listed.",
        "Name a page that is indexable, or take the alternate out.",
    ),
    "text-untranslated": Remedy(
        "Searchers of one language find the text of another, and two addresses compete with one text.",
        "Translate it; until then take the page out of the index and out of the set of languages.",
    ),
    "text-double-escaped": Remedy(
        "Visitors read code such as &amp; in the middle of a sentence.",
        "Escape the text once, where it is put into the page.",
    ),
    "text-encoding-broken": Remedy(
        "Letters have become signs that nobody can read, and queries with these letters do not match.",
        "Restore the text from its source and declare UTF-8 in the header.",
    ),
    "page-orphan": Remedy(
        "Nobody comes across the page, and it gets no link weight from the rest of the site.",
        "Link to it from the page where visitors would look for it, or retire it.",
    ),
    "link-blocked": Remedy(
        "Crawlers are led to an address that they may not open: what the links are worth ends there.",
        "Open the address in robots.txt, or do not link to it.",
    ),
    "robots-html": Remedy(
        "Crawlers get a page where they expect rules, and so find none.",
        "Let /robots.txt answer with plain text, or with 404.",
    ),
    "sitemap-html": Remedy(
        "Search engines get a page where they expect a list of addresses.",
        "Let the address of the sitemap answer with the list.",
    ),
    "sitemap-not-indexable": Remedy(
        "The sitemap asks for pages to be listed that must not be, and is trusted less for the rest.",
        "List only addresses that answer 200 and may be indexed.",
    ),
    "page-empty": Remedy(
        "Searchers who land here find nothing, and search engines have nothing to list it for.",
        "Put the text into the page itself; or, if the address is not needed, redirect it to the page that has the text.",
    ),
    "page-soft-404": Remedy(
        "Search engines list addresses where there is nothing, and crawl them again and again.",
        "Answer 404, or 410 where a page is gone for good; redirect only where another page takes its place.",
    ),
    "page-part-broken": Remedy(
        "Visitors may see the page without its layout, or without what a script does.",
        "Bring the file back, or take it out of the page.",
    ),
    "page-insecure-parts": Remedy(
        "Browsers block what a secure page loads insecurely, or warn of it.",
        "Load it over https.",
    ),
    "variant-answers": Remedy(
        "One page stands under several addresses, and links and clicks are split between them.",
        "Redirect all writings to one, by a rule of the server.",
    ),
}
"""For each check of :data:`mardok.tables.CHECKS` what it costs and what mends it."""
