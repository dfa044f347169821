"""Texts in English and German with errors and traps laid into them, for tests of spelling.

In:  sentences of the demo site, and a small grammar of German sentences.
Out: pages as HTML, the errors with what should stand there, and the traps, which must not be flagged.
"""

from __future__ import annotations

import random
import re
from collections.abc import Callable
from dataclasses import dataclass, field
from html import escape
from itertools import product

from mardok.demo import troubles
from mardok.demo.content import all_articles

_WORD = re.compile(r"(?<![\w'’\-./@])[^\W\d_]{4,}(?![\w'’\-/@])(?!\.\w)")

_SUBJECTS = (
    "Unsere Werkstatt", "Der Geigenbauer", "Die junge Meisterin", "Jeder Lehrling", "Die alte Geige", "Der neue Bogen",
    "Eine gute Bratsche", "Das kleine Cello", "Der Deckel", "Die Decke", "Unser Lehrer", "Die Schule", "Der Kunde",
)  # fmt: skip
_VERBS = (
    "braucht im Winter", "verliert bei trockener Luft", "bekommt jeden Monat", "zeigt nach vielen Jahren",
    "erhält am Freitag", "behält auf der Reise", "sucht seit gestern", "findet in der Stadt",
)  # fmt: skip
_OBJECTS = (
    "einen ruhigen Platz", "neue Saiten", "etwas mehr Feuchtigkeit", "einen sauberen Lappen", "frisches Harz",
    "eine gründliche Pflege", "den richtigen Klang", "ein leichtes Gewicht", "warmes Licht", "keine scharfe Kante",
    "eine ehrliche Antwort", "ein weiches Tuch",
)  # fmt: skip
_ENDS = (
    "damit der Ton nicht leidet", "weil das Holz arbeitet", "bevor die Probe beginnt", "wenn die Heizung läuft",
    "obwohl niemand danach fragt", "sobald der Regen aufhört", "ohne dass es jemand merkt", "solange die Sonne scheint",
)  # fmt: skip

TRAPS = {
    "en": (
        "The purfling runs along the whole edge of the plate.", "We rehair a bow with Mongolian tail hair only.",
        "The soundpost stands behind the foot of the bridge.", "A worn endpin scratches wooden floors.",
        "The tailgut was replaced last autumn.", "Old kerfing holds the ribs of a guitar together.",
        "Mr Hartwick and Ms Orlova play on Thursdays.", "The choir of Brackenwell sings in our yard.",
        "Our van goes from Skarrow to Ivelstone and back.", "Type <code>tunr --all</code> and the list appears.",
        "The file is called violn_list.csv and lies beside it.", "Write to repairs@hsot.example for a quote.",
        "See www.wyndlae.example/repairs/ for the list.", "It says “con sordino” above the second line.",
        "He plays <i lang=it>senza vibratto</i> where others would not.",
        "The <i lang=de>Geigenbaur</i> of old worked by daylight.",
        "Leave it well-humidified and string-side up.", "A re-hairing takes two days in summer.",
        "The colour of the varnish is a warm brown.", "A color like that fades in the sun.",
        "We organise lessons and organize concerts, too.", "The centre joint is glued with hide glue.",
        "The rehaired bow was unbowed for a week.", "Retuning takes longer than the tuning did.",
        "Nous vendons des violons et des archets dans notre atelier.", "The piece ends col legno and very softly.",
        "Order no. AB12-vioiln is ready for collection.", "The CITES papers and the DHL label are in the case.",
        "Ask for the iRosin app or for eTuner.", "It was bought approx. ten years ago.",
        "“Violn” was painted over the door in 1911.", "A chinrest and a shoulderrest are included.",
        "The luthier looked at it, and the luthiers agreed.", "Their tonewood dries for thirty years.",
        "A pegbox may crack along the grain.", "The bassbar is fitted by eye and by ear.",
        "Mrs Pellingworth rents two half-sizes.", "The Thistlemere quartet plays Brahms and Dvořák.",
        "He calls it a scroll-less viola, and it is.", "The scordatura makes the second string a tone higher.",
    ),
    "de": (
        "Der Stimmstock steht hinter dem Fuß des Stegs.", "Der Bassbalken wird nach Gehör eingepasst.",
        "Die Randeinlage läuft um die ganze Decke.", "Frau Kettelbach und Herr Wiesenhut spielen am Donnerstag.",
        "Der Chor aus Brackenwell singt in unserem Hof.", "Unser Wagen fährt von Skarrow nach Ivelstone.",
        "Das Konzert findet in Mittenwalde und in Klingenthal statt.", "Geben Sie <code>stimmne --alle</code> ein.",
        "Die Datei heißt geige_lsite.csv und liegt daneben.", "Schreiben Sie an werkstatt@hsot.example.",
        "Siehe www.wyndlae.example/reparatur/ für die Liste.", "Darüber steht „con sordino“ in kleiner Schrift.",
        "Er spielt <i lang=it>senza vibratto</i> und sehr leise.",
        "Der Wirbelkastenrand und das Geigenkastenschloss sind neu.",
        "Ein Saitenhalterknopf fehlt an diesem Instrument.", "Der Bogenfroschbezug wurde erneuert.",
        "Geigen- und Bratschenbogen werden gleich behandelt.", "Das Kolophoniumstück liegt im Deckelfach.",
        "The bow was bought in London and never played.", "Le violon se trouve dans la boîte.",
        "Die CITES-Papiere und der DHL-Schein liegen bei.", "Bestellung Nr. AB12-gegie ist fertig.",
        "Das kostet ca. zwanzig Euro, ggf. auch mehr.", "Die Feinstimmerschraube und der Untersattel sind aus Holz.",
        "Der Grundton und der Oberton klingen zusammen.", "Wir vermieten Achtelgeigen und Viertelgeigen.",
        "Das Griffbrett wurde abgerichtet und geölt.", "Der Zargenkranz wird auf die Form geleimt.",
        "„Gegie“ stand im Jahr 1911 über der Tür.", "Herr Pellingrath leiht zwei halbe Celli.",
        "Eine Bogenhaarlänge reicht für drei Bögen.", "Die Schneckenwindung ist von Hand geschnitzt.",
        "Der Resonanzboden schwingt am Rand kaum.", "Die Fichtendecke und der Ahornboden sind alt.",
        "Das iGeige genannte Programm stimmt mit.", "Ein Vibrato ist kein Tremolo.",
        "Die Werkstattmitarbeiterinnen kommen um acht.", "Der Leimtopf bleibt den ganzen Tag warm.",
        "Im Allgäu und in Füssen liefern wir nicht.", "Die Firma Sewerin & Söhne schickt das Holz.",
    ),
}  # fmt: skip
"""Sentences in which nothing is misspelt, whatever it looks like."""


@dataclass
class Planted:
    """Pages with errors and traps in them."""

    pages: dict[str, str] = field(default_factory=dict)
    """HTML by path."""
    errors: dict[str, str] = field(default_factory=dict)
    """What should stand there, by what does."""
    n_traps: int = 0


def planted_pages(language: str, n_errors: int, is_word: Callable[[str], bool], seed: int) -> Planted:
    """Pages in one language with errors one edit from a word, each in a paragraph of its own, and all traps.

    Parameters
    ----------
    is_word : callable
        Whether a dictionary knows a word; what has become another word is no error that anybody sees.
    """
    rng = random.Random(seed)
    paragraphs = _english() if language == "en" else _german(rng)
    rng.shuffle(paragraphs)
    result = Planted()
    texts = []
    for paragraph in paragraphs:
        spot = _spot(paragraph, language, rng) if len(result.errors) < n_errors else None
        if spot is not None:
            word, start = spot
            wrong = _edited(word, language, rng)
            if wrong != word and not is_word(wrong) and is_word(word) and wrong not in result.errors:
                result.errors[wrong] = word
                paragraph = paragraph[:start] + wrong + paragraph[start + len(word) :]
        texts.append(escape(paragraph))
    traps = [*TRAPS[language], *_made_traps(language, rng)]
    result.n_traps = len(traps)
    for trap in traps:
        texts.insert(rng.randrange(len(texts)), trap)
    per_page = 8
    for number in range(0, len(texts), per_page):
        body = "".join(f"<p>{text}</p>" for text in texts[number : number + per_page])
        path = f"/{language}/{number // per_page}/"
        title = f"Page {number // per_page}"
        result.pages[path] = f"<html lang={language}><title>{title}</title><body><main><h1>{title}</h1>{body}</main>"
    return result


def _made_traps(language: str, rng: random.Random) -> list[str]:
    """Names of people and towns, compounds and forms of words that no dictionary has."""
    begins, ends = _SYLLABLES[language]
    made = [begin + end for begin, end in product(begins, ends)]
    rng.shuffle(made)
    patterns = _PATTERNS[language]
    return [patterns[number % len(patterns)].format(*made[2 * number : 2 * number + 2]) for number in range(_MADE)]


_MADE = 160
_SYLLABLES = {
    "en": (
        ("Bram", "Cres", "Dun", "Elver", "Fal", "Gren", "Har", "Kel", "Lang", "Mar", "Nor", "Pel", "Rad", "Sel", "Tarn",
         "Wych"),
        ("bury", "combe", "cott", "dale", "field", "ford", "ham", "hurst", "ley", "low", "mere", "minster", "moor", "rick",
         "stead", "stoke", "thorpe", "ton", "well", "wick", "wold", "worth"),
    ),
    "de": (
        ("Bern", "Diet", "Eber", "Frie", "Gott", "Hein", "Ker", "Lan", "Mark", "Neu", "Ober", "Rein", "Sieg", "Teck", "Wald",
         "Wiesen"),
        ("bach", "berg", "brunn", "burg", "dorf", "eck", "feld", "furt", "hagen", "hausen", "hofen", "kirchen", "leben",
         "rode", "see", "stadt", "stein", "tal", "walde", "weiler", "wang", "zell"),
    ),
}  # fmt: skip
"""What names of people and towns begin and end with."""
_PATTERNS = {
    "en": (
        "Mrs {0} brings her viola in from {1} twice a year.", "The {0} choir and the {1} band share our hall.",
        "From {0} the road to {1} is closed in the winter.", "We thank Mr {0} and his friend Miss {1} for the photographs.",
    ),
    "de": (
        "Frau {0} bringt ihre Bratsche zweimal im Jahr aus {1} mit.", "Von {0} nach {1} fährt im Winter kein Wagen.",
        "Wir danken Herrn {0} und Frau {1} für die Bilder.", "In {0} und bei {1} halten wir jeden Dienstag.",
    ),
}  # fmt: skip


def _english() -> list[str]:
    sentences = {
        " ".join(sentence.split())
        for article in all_articles()
        if not article.is_german and article.path not in troubles.SLIPS and not article.path.startswith("/violin-hire/")
        for paragraph in article.body.split("\n\n")
        if not paragraph.startswith("#")
        for sentence in re.split(r"(?<=[.!?])\s+", paragraph)
        if len(sentence.split()) >= 8
    }
    return sorted(sentences)


def _german(rng: random.Random) -> list[str]:
    every = [f"{a} {b} {c}, {d}." for a, b, c, d in product(_SUBJECTS, _VERBS, _OBJECTS, _ENDS)]
    return rng.sample(every, 420)


def _spot(text: str, language: str, rng: random.Random) -> tuple[str, int] | None:
    """A word of a text with where it stands; in English none with a capital, which may be a name."""
    words = [found for found in _WORD.finditer(text) if language != "en" or found[0].islower()]
    if not words:
        return None
    found = rng.choice(words)
    return found[0], found.start()


def _edited(word: str, language: str, rng: random.Random) -> str:
    """A word after one slip of the pen; its first letter stays, as it does in nearly all errors."""
    letters = "abcdefghijklmnopqrstuvwxyz" + ("äöü" if language == "de" else "")
    at = rng.randrange(1, len(word))
    kind = rng.choice(("swapped", "missing", "added", "other"))
    if kind == "swapped" and at + 1 < len(word):
        return word[:at] + word[at + 1] + word[at] + word[at + 2 :]
    if kind == "added":
        return word[:at] + rng.choice(letters) + word[at:]
    if kind == "other":
        return word[:at] + rng.choice(letters) + word[at + 1 :]
    return word[:at] + word[at + 1 :]
