// Wording, rivals, pages, checks.
async function wordingView(root, { isAll }) {
  const [wording, pages] = [await part("wording"), await part("pages")];
  const site = { section: "the whole site", pages: null, phrases: wording.phrases };
  const place = h("div");
  const plainTable = (caption, columns, rows) =>
    makeTable({ caption, columns, rows, size: 30, isAll, noun: "row" }).element;
  const column = (title, at, kind, cell) => ({
    title,
    kind,
    value: (row) => row[at],
    cell: cell || ((row) => (kind === "n" ? figure(row[at]) : bdi(row[at]))),
  });

  function phrasesOf(name) {
    const one = wording.sections.find((section) => section.section === name) || site;
    const caption =
      one === site
        ? "Phrases of the whole site, those of most pages first"
        : `Phrases of ${count(one.pages, "page")} under ${local(one.section)}, what they say more than the rest of the site first`;
    place.replaceChildren(
      plainTable(caption, [column("Phrase", 0, "t"), column("Pages", 1, "n"), column("Uses", 2, "n")], one.phrases),
    );
  }

  root.append(h("h3", {}, "Phrases"));
  const sections = wording.sections.map((section) => section.section);
  if (sections.length)
    root.append(h("div", { class: "controls" }, choice("Section", sections, "", phrasesOf, "the whole site")));
  root.append(place);
  phrasesOf("");
  if (isAll)
    for (const section of wording.sections)
      root.append(
        plainTable(
          `Phrases under ${local(section.section)}`,
          [column("Phrase", 0, "t"), column("Pages", 1, "n"), column("Uses", 2, "n")],
          section.phrases,
        ),
      );
  root.append(
    h(
      "p",
      { class: "soft" },
      `Of ${count(wording.n_phrases, "phrase")} in phrases.csv. Any section, page or wording: `,
      command("mardok phrases DIR --under /blog/"),
    ),
  );
  root.append(
    h("h3", {}, "Boilerplate"),
    h("p", { class: "soft" }, "Text that many pages carry word for word, by how much of the site it makes up."),
  );
  root.append(
    wording.boilerplate.length
      ? plainTable(
          "Boilerplate texts",
          [
            column("Text", 0, "t"),
            column("Words", 1, "n"),
            column("Pages", 2, "n"),
            { title: "Of the site", kind: "n", value: (row) => row[6], cell: (row) => percent(row[6]) },
            {
              title: "Where",
              kind: "t",
              value: (row) => row[4],
              cell: (row) => [
                bdi(local(row[4])),
                h("div", { class: "small" }, "for example ", pageLink(pages, row[3])),
                row[5] ? h("div", { class: "soft small" }, "the pages are copies anyway") : null,
              ],
            },
          ],
          wording.boilerplate,
        )
      : h("p", {}, "None."),
  );
  root.append(
    h("h3", {}, "Pasted passages"),
    h(
      "p",
      { class: "soft" },
      `Runs of eight words and more that stand on several pages, those with most pasted words first; ${count(wording.n_passages, "passage")} in all.`,
    ),
  );
  root.append(
    wording.passages.length
      ? plainTable(
          "Passages",
          [
            column("Passage", 0, "t"),
            column("Words", 1, "n"),
            column("Pages", 2, "n"),
            column("Pasted words", 3, "n"),
            {
              title: "For example",
              kind: "t",
              value: (row) => (typeof row[4] === "number" ? pages.url[row[4]] : row[4]),
              cell: (row) => [
                pageLink(pages, row[4]),
                row[5] ? h("div", { class: "soft small" }, "boilerplate") : null,
              ],
            },
          ],
          wording.passages,
        )
      : h("p", {}, "None."),
  );
  root.append(
    h("h3", {}, "Links that wait"),
    h(
      "p",
      { class: "soft" },
      "Pages that say what another page is about, and do not link to it from their text. All of them stand in link_plan.csv.",
    ),
    await waitingLinksTable(pages, isAll),
  );
}

// Words and facts: what proofreading found.
async function proofView(root, { isAll }) {
  const [proof, pages] = [await part("proof"), await part("pages")];
  const addressOf = (value) => (typeof value === "number" ? pages.url[value] : value);
  const text = (title, at) => ({ title, kind: "t", value: (row) => row[at], cell: (row) => bdi(row[at]) });
  const number = (title, at) => ({ title, kind: "n", value: (row) => row[at], cell: (row) => figure(row[at]) });
  const page = (title, at) => ({
    title,
    kind: "t",
    value: (row) => addressOf(row[at]),
    cell: (row) => pageLink(pages, row[at]),
  });
  const figures = (title, at) => ({
    title,
    kind: "t",
    value: (row) => row[at],
    cell: (row) => [
      bdi(row[at]),
      h("div", { class: "small" }, `${count(row[at + 1], "page")}, such as `, pageLink(pages, row[at + 2])),
    ],
  });
  const tableOf = (caption, columns, rows) =>
    rows.length ? makeTable({ caption, columns, rows, size: 30, isAll, noun: "row" }).element : h("p", {}, "None.");
  root.append(
    h("h3", {}, "Facts that disagree"),
    h("p", { class: "soft" }, "The same sentence with another figure: one of them is wrong. All of them stand in contradictions.csv."),
    tableOf(
      "Sentences that pages say with different figures",
      [
        text("Sentence", 0),
        text("What differs", 1),
        figures("Most pages say, or the one that stays", 2),
        figures("Others say", 5),
      ],
      proof.facts,
    ),
    h("h3", {}, "Words and signs"),
    h(
      "p",
      { class: "soft" },
      `${count(proof.n_slips, "row")} in slips.csv; what a template, a pasted text or several pages repeat is one. Whoever writes accept beside one there is not told of it again.`,
    ),
    tableOf(
      "Words and signs that are wrong",
      [
        text("Trouble", 0),
        text("Written", 1),
        text("Right", 2),
        {
          title: "In",
          kind: "t",
          value: (row) => row[6],
          cell: (row) => [withMark(row[6], row[1]), h("div", { class: "small" }, pageLink(pages, row[5]))],
        },
        text("Stands in", 3),
        number("Pages", 4),
      ],
      proof.slips,
    ),
  );
  root.append(h("h3", {}, "Words no dictionary knows"));
  if (!proof.is_looked_up) {
    root.append(
      h(
        "p",
        {},
        "Words were not looked up in dictionaries. This does it, and reads nothing again: ",
        command("mardok audit DIR -o DIR --set proof.spelling=true"),
      ),
    );
    return;
  }
  root.append(
    h(
      "p",
      { class: "soft" },
      `${count(proof.n_unknown, "word")} in unknown_words.csv, none of them told as an error: terms, names of things, and what only a reader can judge.`,
    ),
    tableOf(
      "Words that no dictionary knows",
      [text("Word", 0), text("Language", 1), number("Uses", 2), number("Pages", 3), page("Such as", 4)],
      proof.unknown,
    ),
  );
}

// A text with a word in it marked.
function withMark(text, word) {
  const at = text.toLowerCase().indexOf(word.toLowerCase());
  return at < 0
    ? bdi(text)
    : h("bdi", {}, text.slice(0, at), h("mark", {}, text.slice(at, at + word.length)), text.slice(at + word.length));
}

async function waitingLinksTable(pages, isAll) {
  const plan = await part("link_plan");
  if (!plan.rows.length) return h("p", {}, "None.");
  const addressOf = (value) => (typeof value === "number" ? pages.url[value] : value);
  return makeTable({
    caption: "Links that wait to be made",
    noun: "row",
    rows: plan.rows,
    isAll,
    columns: [
      { title: "Link to", kind: "t", value: (row) => addressOf(row[0]), cell: (row) => pageLink(pages, row[0]) },
      {
        title: "From",
        kind: "t",
        value: (row) => addressOf(row[1]),
        cell: (row) => [pageLink(pages, row[1]), h("div", { class: "small" }, bdi(row[3]))],
      },
      { title: "Words to link", kind: "t", value: (row) => row[2], cell: (row) => bdi(row[2]) },
      { title: "Pages that link now", kind: "n", value: (row) => row[4], cell: (row) => figure(row[4]) },
    ],
  }).element;
}

function rivalDetail(pages, group, figures, promises) {
  const inside = h("div", { class: "inside" });
  const rows = group.members.map((page, at) =>
    h(
      "tr",
      {},
      h("td", { class: "w" }, group.has_keeper ? tag(at ? "member" : "keeper") : ""),
      h("td", { class: "t" }, pageLink(pages, page)),
      h("td", { class: "t" }, bdi(pages.title[page])),
      h("td", { class: "t" }, bdi(pages.h1[page])),
      h(
        "td",
        { class: "t" },
        bdi((promises[page] || {}).topic || ""),
        (promises[page] || {}).topic_fields
          ? h("div", { class: "soft small" }, `said by ${promises[page].topic_fields}`)
          : null,
      ),
      h("td", { class: "n" }, figure(pages.clicks[page], 1)),
    ),
  );
  inside.append(
    h(
      "div",
      { class: "wide", tabindex: "0", role: "region", "aria-label": "What the rivals promise" },
      h(
        "table",
        {},
        h("caption", {}, "What they promise, and where"),
        h(
          "thead",
          {},
          h(
            "tr",
            {},
            ["Role", "Page", "Title", "H1", "Target phrase", "Clicks/month"].map((text) =>
              h("th", { scope: "col" }, text),
            ),
          ),
        ),
        h("tbody", {}, rows),
      ),
    ),
  );
  if (!figures || !figures.queries.length) {
    inside.append(h("p", { class: "soft" }, "Search data shows them for no query together."));
    return inside;
  }
  const lines = figures.queries.flatMap(([query, shown]) =>
    shown.map(([page, clicks, impressions, position], at) =>
      h(
        "tr",
        {},
        at ? h("td", {}) : h("th", { scope: "row" }, bdi(query)),
        h("td", { class: "t" }, pageLink(pages, page)),
        h("td", { class: "n" }, figure(impressions)),
        h("td", { class: "n" }, figure(clicks, 1)),
        h("td", { class: "n" }, figure(position, 1)),
      ),
    ),
  );
  inside.append(
    h(
      "div",
      { class: "wide", tabindex: "0", role: "region", "aria-label": "Queries that show several of them" },
      h(
        "table",
        {},
        h("caption", {}, "Queries that show several of them, figures a month"),
        h(
          "thead",
          {},
          h(
            "tr",
            {},
            h("th", { scope: "col" }, "Query"),
            h("th", { scope: "col" }, "Page"),
            ["Impressions", "Clicks", "Position"].map((text) => h("th", { scope: "col", class: "n" }, text)),
          ),
        ),
        h("tbody", {}, lines),
      ),
    ),
  );
  inside.append(
    h(
      "div",
      { class: "two" },
      Object.entries(figures.lines).map(([query, told]) =>
        h("div", {}, h("h3", {}, "\u2018", bdi(query), "\u2019"), positionsPicture(pages, query, told)),
      ),
    ),
  );
  return inside;
}

async function promisesOf(numbers) {
  const index = (await part("sheets-index")) || {};
  const found = {};
  for (const page of numbers) if (page in index) found[page] = (await part(`sheets-${index[page]}`))[page];
  return found;
}

async function rivalsView(root, { argument, isAll }) {
  const [groups, pages, rivals] = [await part("groups"), await part("pages"), await part("rivals")];
  const [found, series] = ["rivals", "series"].map((kind) => groups.filter((group) => group.kind === kind));
  const promises = await promisesOf(found.slice(0, PAPER).flatMap((group) => group.members));
  const shown = (group) =>
    ((rivals[group.id] || {}).queries || []).reduce(
      (sum, [, told]) => sum + told.reduce((inner, [, , impressions]) => inner + impressions, 0),
      0,
    );
  const table = makeTable({
    caption: "Groups of rivals",
    noun: "group",
    rows: found,
    isAll,
    columns: [
      { title: "Pages", kind: "n", value: (group) => group.n, cell: (group) => figure(group.n) },
      {
        title: "What they compete for",
        kind: "t",
        value: (group) => group.phrase,
        cell: (group) =>
          h("button", { class: "plain", type: "button", "data-opens": group.id }, bdi(group.phrase || "(a query)")),
      },
      {
        title: "Strongest page",
        kind: "t",
        value: (group) => pages.url[group.members[0]],
        cell: (group) => pageLink(pages, group.members[0]),
      },
      { title: "Impressions/month", kind: "n", value: shown, cell: (group) => figure(shown(group)) },
      { title: "Evidence", kind: "w", value: (group) => group.evidence, cell: (group) => group.evidence },
      { title: "Confidence", kind: "w", value: (group) => group.confidence, cell: (group) => group.confidence },
    ],
    detail: (group) => rivalDetail(pages, group, rivals[group.id], promises),
  });
  root.append(
    h(
      "p",
      { class: "soft" },
      "Pages that promise one thing, or that search shows for one query. What to do about each group stands in the plan; some are fine as they are, and the reason stands there.",
    ),
    table.element,
  );
  const wanted = found.find((group) => group.id === argument);
  if (wanted) table.open(wanted);
  else if (found.length && !isAll) table.open(found[0]);
  root.append(
    h("h3", {}, "Series, which are no rivals"),
    h("p", { class: "soft" }, "Pages built on one title pattern in which one slot changes."),
  );
  root.append(
    series.length
      ? makeTable({
          caption: "Series",
          noun: "series",
          rows: series,
          isAll,
          columns: [
            { title: "Pages", kind: "n", value: (group) => group.n, cell: (group) => figure(group.n) },
            {
              title: "Pattern",
              kind: "t",
              value: (group) => group.phrase,
              cell: (group) =>
                h("button", { class: "plain", type: "button", "data-opens": group.id }, bdi(group.phrase)),
            },
          ],
          detail: (group) =>
            h(
              "div",
              { class: "inside" },
              h(
                "ul",
                { class: "plain" },
                group.members.map((page) => h("li", {}, pageLink(pages, page), " ", bdi(pages.title[page]))),
              ),
            ),
        }).element
      : h("p", {}, "None."),
  );
  root.append(
    h("h3", {}, "Asked and not said"),
    h(
      "p",
      { class: "soft" },
      "Queries for which search shows a page below the first places: the page does not say all of their words, or no page promises them in title, H1 and address. All of them stand in unanswered.csv.",
    ),
    await unansweredTable(pages, isAll),
  );
}

async function unansweredTable(pages, isAll) {
  const unanswered = await part("unanswered");
  if (!unanswered.rows.length) return h("p", {}, "None.");
  return makeTable({
    caption: "Queries that are asked and not said",
    noun: "row",
    rows: unanswered.rows,
    isAll,
    columns: [
      { title: "Query", kind: "t", value: (row) => row[0], cell: (row) => bdi(row[0]) },
      {
        title: "Page shown most",
        kind: "t",
        value: (row) => (typeof row[1] === "number" ? pages.url[row[1]] : row[1]),
        cell: (row) => pageLink(pages, row[1]),
      },
      { title: "Impressions/month", kind: "n", value: (row) => row[2], cell: (row) => figure(row[2]) },
      { title: "Position", kind: "n", value: (row) => row[4], cell: (row) => figure(row[4], 1) },
      {
        title: "Words it does not say",
        kind: "t",
        value: (row) => row[5],
        cell: (row) => (row[5] ? bdi(row[5]) : h("span", { class: "soft" }, "it says all of them")),
      },
      { title: "Promised by a page", kind: "w", value: (row) => row[6], cell: (row) => row[6] },
    ],
  }).element;
}

let haystack = null;

async function pagesView(root, { query, isAll }) {
  const pages = await part("pages");
  const numbers = pages.url.map((_, page) => page);
  if (!haystack) haystack = numbers.map((page) => folded(`${local(pages.url[page])} ${pages.title[page]}`));
  const coded = ["kind", "language", "section", "thin", "reason"];
  const chosen = Object.fromEntries(
    ["text", "indexable", "copies", ...coded].map((name) => [name, query.get(name) || ""]),
  );
  const total = (page) =>
    pages.own_words[page] === null
      ? null
      : pages.own_words[page] + pages.shared_words[page] + pages.boilerplate_words[page];
  const widest = numbers.reduce((most, page) => Math.max(most, Math.min(total(page) || 0, 2000)), 1);
  const table = makeTable({
    caption: "Pages that were read",
    noun: "page",
    rows: numbers,
    isAll,
    sort: pages.clicks.some((clicks) => clicks) ? { at: 8, down: true } : { at: 7, down: true },
    columns: [
      { title: "Page", kind: "t", value: (page) => pages.url[page], cell: (page) => pageLink(pages, page, true) },
      {
        title: "Kind",
        kind: "w",
        value: (page) => named(pages, "kind", page),
        cell: (page) =>
          pages.indexable[page]
            ? named(pages, "kind", page)
            : [named(pages, "kind", page), h("div", { class: "soft small" }, bdi(named(pages, "reason", page)))],
      },
      { title: "Words", kind: "n", value: (page) => pages.words[page], cell: (page) => figure(pages.words[page]) },
      {
        title: "Own",
        kind: "n",
        value: (page) => pages.own_words[page],
        cell: (page) => figure(pages.own_words[page]),
      },
      {
        title: "Own, shared, boilerplate",
        kind: "w",
        cell: (page) =>
          total(page) === null
            ? ""
            : wordBar(pages.own_words[page], pages.shared_words[page], pages.boilerplate_words[page], widest),
      },
      { title: "Copies", kind: "n", value: (page) => pages.copies[page], cell: (page) => figure(pages.copies[page]) },
      {
        title: "Nearest",
        kind: "n",
        value: (page) => pages.nearest_resemblance[page],
        cell: (page) =>
          pages.nearest[page] >= 0
            ? h(
                "a",
                {
                  href: `#pair/${page}/${pages.nearest[page]}`,
                  "aria-label": `${percent(pages.nearest_resemblance[page])}, side by side with ${local(pages.url[pages.nearest[page]])}`,
                },
                percent(pages.nearest_resemblance[page]),
              )
            : "",
      },
      {
        title: "Inlinks",
        kind: "n",
        value: (page) => pages.inlinks[page],
        cell: (page) => figure(pages.inlinks[page]),
      },
      {
        title: "Clicks/month",
        kind: "n",
        value: (page) => pages.clicks[page],
        cell: (page) => figure(pages.clicks[page], 1),
      },
      {
        title: "Impressions",
        kind: "n",
        value: (page) => pages.impressions[page],
        cell: (page) => figure(pages.impressions[page]),
      },
    ],
  });

  function filter() {
    const text = folded(chosen.text);
    const wanted = coded
      .filter((name) => chosen[name])
      .map((name) => [pages[name].codes, pages[name].names.indexOf(chosen[name] === "none" ? "" : chosen[name])]);
    table.show(
      (page) =>
        wanted.every(([codes, code]) => codes[page] === code) &&
        (!chosen.indexable || (chosen.indexable === "yes") === Boolean(pages.indexable[page])) &&
        (!chosen.copies || (chosen.copies === "yes") === pages.copies[page] > 0) &&
        (!text || haystack[page].includes(text)),
    );
  }

  const by = (name) => (value) => {
    chosen[name] = value;
    filter();
  };
  const names = (name) => pages[name].names.map((value) => value || "none");
  root.append(
    h(
      "div",
      { class: "controls" },
      search("Address or title", chosen.text, by("text")),
      choice("Section", names("section"), chosen.section, by("section")),
      choice("Kind", names("kind"), chosen.kind, by("kind")),
      choice("Language", names("language"), chosen.language, by("language")),
      choice("Indexable", ["yes", "no"], chosen.indexable, by("indexable")),
      choice(
        "Why not",
        names("reason").filter((name) => name !== "none"),
        chosen.reason,
        by("reason"),
      ),
      choice("Thin", ["yes", "no"], chosen.thin, by("thin")),
      choice("Has copies", ["yes", "no"], chosen.copies, by("copies")),
    ),
    table.element,
  );
  const left = Number(document.body.dataset.leftPages || 0);
  if (left) root.append(h("p", { class: "soft" }, `${count(left, "page")} more are in pages.csv.`));
  filter();
}

const FACTS = [
  ["kind_reason", "Kind rests on"],
  ["description", "Description"],
  ["site_name", "Site's part of the title"],
  ["canonical_url", "Canonical"],
  ["redirect_url", "Redirects to"],
  ["robots", "Robots directives"],
  ["declared_language", "Declared language"],
  ["index_state", "Index state"],
  ["depth", "Links from the home page"],
  ["in_sitemap", "In a sitemap"],
  ["script_words", "Words only with scripts"],
  ["external_links", "Links from other sites"],
  ["conversions", "Conversions a month"],
  ["sessions", "Visits a month"],
];

const some = (which, shown, all) => (shown < all ? `, ${which} ${shown} of ${figure(all)}` : "");

function sheetTable(name, heads, rows) {
  return h(
    "div",
    { class: "wide", tabindex: "0", role: "region", "aria-label": name },
    h(
      "table",
      {},
      h(
        "thead",
        {},
        h(
          "tr",
          {},
          heads.map(([text, kind]) => h("th", { scope: "col", class: kind }, text)),
        ),
      ),
      h(
        "tbody",
        {},
        rows.map((cells) =>
          h(
            "tr",
            {},
            cells.map((cell, at) => h("td", { class: heads[at][1] }, cell)),
          ),
        ),
      ),
    ),
  );
}

async function sheetView(root, { argument }) {
  const pages = await part("pages");
  const page = Number(argument);
  if (!(page in pages.url)) {
    root.append(h("p", {}, "The report lists no such page."));
    return;
  }
  const sheet = (await promisesOf([page]))[page];
  const [groups, checks, pairs, plan] = [
    await part("groups"),
    await part("checks"),
    await part("pairs"),
    await part("plan"),
  ];
  const url = pages.url[page];
  root.append(h("p", {}, h("b", {}, bdi(pages.title[page] || "no title")), h("br"), bdi(url), " ", outward(url)));
  const facts = [
    [
      "Answer",
      [pages.status[page], pages.indexable[page] ? "indexable" : named(pages, "reason", page)]
        .filter(Boolean)
        .join(", "),
    ],
    ["Kind", named(pages, "kind", page)],
    ["Language", named(pages, "language", page)],
    ["H1", pages.h1[page]],
    [
      "Words",
      pages.own_words[page] === null
        ? figure(pages.words[page])
        : `${figure(pages.words[page])}: ${figure(pages.own_words[page])} own, ${figure(pages.shared_words[page])} shared, ${figure(pages.boilerplate_words[page])} boilerplate`,
    ],
    ["Target phrase", sheet ? sheet.topic : ""],
    ["Thin", [named(pages, "thin", page), named(pages, "thin_reason", page)].filter(Boolean).join(": ")],
    ["Copies", figure(pages.copies[page])],
    [
      "Inlinks",
      `${figure(pages.inlinks[page])}${pages.link_weight[page] === null ? "" : `, ${percent(pages.link_weight[page])} of the link weight`}`,
    ],
    [
      "Search",
      pages.impressions[page] === null
        ? ""
        : `${figure(pages.clicks[page], 1)} clicks and ${figure(pages.impressions[page])} impressions a month${pages.clicks_before[page] === null ? "" : `; ${figure(pages.clicks_before[page], 1)} clicks in the span before`}`,
    ],
    ...(sheet ? FACTS.map(([name, text]) => [text, sheet[name] === undefined ? "" : String(sheet[name])]) : []),
  ];
  for (const [hreflang, target] of sheet ? sheet.alternates : [])
    facts.push([`hreflang ${hreflang}`, pageLink(pages, target)]);
  if (pages.final[page] !== page && pages.final[page] >= 0)
    facts.splice(1, 0, ["Leads to", pageLink(pages, pages.final[page])]);
  root.append(
    h(
      "dl",
      { class: "facts" },
      facts
        .filter(([, value]) => value !== "")
        .map(([name, value]) => [h("dt", {}, name), h("dd", {}, typeof value === "string" ? bdi(value) : value)]),
    ),
  );
  if (pages.own_words[page] !== null)
    root.append(
      wordBar(pages.own_words[page], pages.shared_words[page], pages.boilerplate_words[page], pages.words[page]),
    );
  const listed = (heading, items) => {
    if (items.length)
      root.append(
        h("h3", {}, heading),
        h(
          "ul",
          { class: "plain" },
          items.map((item) => h("li", {}, item)),
        ),
      );
  };
  listed(
    "Proposals and steps",
    plan.proposals.flatMap((one) =>
      one.steps
        .filter(([at]) => at === page)
        .map(([, step, target, detail]) => [
          tag(step.replace("_", " ")),
          " ",
          target === "" ? null : [pageLink(pages, target), " "],
          bdi(detail),
          " (",
          h("a", { href: `#plan/${one.proposal}` }, `rank ${one.rank}`),
          ")",
        ]),
    ),
  );
  listed(
    "Groups",
    groups
      .filter((group) => group.members.includes(page))
      .map((group) => [
        h(
          "a",
          { href: `#${group.kind === "rivals" ? "rivals" : "copies"}/${group.id}` },
          `${count(group.n, "page")}: ${group.kind}`,
          group.phrase ? [", ", bdi(group.phrase)] : null,
        ),
        ` ${group.has_keeper && group.members[0] === page ? "keeper" : "member"}; evidence ${group.evidence}, confidence ${group.confidence}`,
      ]),
  );
  listed(
    "Checks",
    checks.flatMap((one) =>
      one.rows
        .filter(([at]) => at === page)
        .map(([, value, detail]) => [
          h("a", { href: `#checks/${one.check}` }, one.check),
          " ",
          bdi([value, detail].filter(Boolean).join("; ")),
        ]),
    ),
  );
  const near = pairs.a
    .flatMap((a, at) => (a === page || pairs.b[at] === page ? [at] : []))
    .sort((one, other) => pairs.resemblance[other] - pairs.resemblance[one])
    .slice(0, 20);
  if (near.length) {
    root.append(
      h("h3", {}, "Relatives"),
      sheetTable(
        "Relatives",
        [
          ["Resemblance", "n"],
          ["This in it", "n"],
          ["It in this", "n"],
          ["Shared words", "n"],
          ["Page", "t"],
          ["Pair", "w"],
        ],
        near.map((at) => {
          const [other, here, there] =
            pairs.a[at] === page
              ? [pairs.b[at], pairs.a_in_b[at], pairs.b_in_a[at]]
              : [pairs.a[at], pairs.b_in_a[at], pairs.a_in_b[at]];
          return [
            percent(pairs.resemblance[at] / 1e6),
            percent(here / 1e6),
            percent(there / 1e6),
            figure(pairs.shared_words[at]),
            pageLink(pages, other),
            h("a", { href: `#pair/${page}/${other}` }, "side by side"),
          ];
        }),
      ),
    );
  }
  if (sheet && sheet.outline.length)
    listed(
      "Heading outline",
      sheet.outline.map(([level, text]) => [`${"\u2003".repeat(level - 1)}H${level} `, bdi(text)]),
    );
  if (sheet && sheet.phrases.length)
    root.append(
      h("h3", {}, "Phrases used most"),
      sheetTable(
        "Phrases used most",
        [
          ["Uses", "n"],
          ["Phrase", "t"],
        ],
        sheet.phrases.map(([phrase, uses]) => [figure(uses), bdi(phrase)]),
      ),
    );
  if (sheet && sheet.elsewhere.length) {
    root.append(
      h(
        "h3",
        {},
        `Text that stands elsewhere too: ${percent(sheet.copied)} of the words${some("the longest", sheet.elsewhere.length, sheet.n_elsewhere)}`,
      ),
      sheetTable(
        "Text that stands elsewhere too",
        [
          ["Words", "n"],
          ["Text", "t"],
          ["Other pages", "n"],
          ["For example", "t"],
          ["Boilerplate", "w"],
        ],
        sheet.elsewhere.map(([words, isBoilerplate, others, example, text]) => [
          figure(words),
          bdi(text),
          figure(others),
          pageLink(pages, example),
          isBoilerplate ? "yes" : "",
        ]),
      ),
    );
  }
  if (sheet && sheet.queries.length) {
    root.append(
      h("h3", {}, `Queries that show it, figures a month ${document.body.dataset.now || "over all of the search data"}${some("the first", sheet.queries.length, sheet.n_queries)}`),
      sheetTable(
        "Queries",
        [
          ["Query", "t"],
          ["Impressions", "n"],
          ["Clicks", "n"],
          ["Position", "n"],
          ["Share", "n"],
          ["Competing", "n"],
        ],
        sheet.queries.map(([query, clicks, impressions, position, share, competing]) => [
          bdi(query),
          figure(impressions, 1),
          figure(clicks, 1),
          figure(position, 1),
          percent(share),
          figure(competing, 1),
        ]),
      ),
    );
  }
  root.append(
    h(
      "p",
      { class: "soft" },
      "All that was read of it, its text block by block: ",
      command(`mardok page DIR ${url} --text`),
    ),
  );
}

async function checksView(root, { argument, isAll }) {
  const [checks, pages] = [await part("checks"), await part("pages")];
  if (!checks.length) {
    root.append(h("p", {}, "No trouble found."));
    return;
  }
  root.append(
    h("p", { class: "soft" }, "Troubles that sit in a template come first: one edit mends them on many pages."),
  );
  const table = makeTable({
    caption: "Kinds of trouble",
    noun: "kind",
    rows: checks,
    size: 60,
    isAll,
    sort: null,
    columns: [
      {
        title: "Check",
        kind: "w",
        value: (one) => one.check,
        cell: (one) => h("button", { class: "plain", type: "button", "data-opens": one.check }, one.check),
      },
      { title: "Trouble", kind: "t", value: (one) => one.trouble, cell: (one) => one.trouble },
      { title: "Rows", kind: "n", value: (one) => one.n, cell: (one) => figure(one.n) },
      { title: "In a template", kind: "w", value: (one) => one.templates, cell: (one) => (one.templates ? "yes" : "") },
    ],
    detail: (one) =>
      h(
        "div",
        { class: "inside" },
        h("p", {}, one.cost, " ", one.mend),
        h(
          "div",
          { class: "wide tall", tabindex: "0", role: "region", "aria-label": `Pages with ${one.check}` },
          h(
            "table",
            {},
            h(
              "thead",
              {},
              h(
                "tr",
                {},
                ["Page", "Value", "Detail"].map((text) => h("th", { scope: "col" }, text)),
              ),
            ),
            h(
              "tbody",
              {},
              one.rows.map(([page, value, detail]) =>
                h(
                  "tr",
                  {},
                  h("td", { class: "t" }, pageLink(pages, page)),
                  h("td", {}, bdi(value)),
                  h("td", { class: "t" }, bdi(detail)),
                ),
              ),
            ),
          ),
        ),
        one.n > one.rows.length
          ? h("p", { class: "soft" }, `${figure(one.n - one.rows.length)} more are in checks.csv.`)
          : null,
      ),
  });
  root.append(table.element);
  const wanted = checks.find((one) => one.check === argument);
  if (wanted) table.open(wanted);
}
