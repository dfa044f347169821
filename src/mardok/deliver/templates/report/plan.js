// The plan: sort, filter, open, decide, save the decisions.
const AFTERWARDS = {
  redirect: "redirects there",
  canonical: "names that page as canonical",
  move_text: "what only it says stands there",
  rewrite: "text of its own",
  retitle: "a title of its own",
  expand: "answers what is asked",
  trim: "without pasted text",
  noindex: "stays, out of the index",
  retire: "answers 410, gone",
  translate: "in its own language",
  repair: "repaired",
  relink: "links there",
  sitemap: "out of the sitemap",
  leave: "as it is",
  investigate: "decided by a person",
};
const KEY = `mardok decisions ${HOME} ${document.body.dataset.made}`;
const decided = new Map();
let isSaved = true;

function remembered() {
  try {
    return JSON.parse(localStorage.getItem(KEY)) || {};
  } catch {
    return {};
  }
}

function remember() {
  // A browser may forbid storage to a file on disk; then decisions live as long as the page is open.
  try {
    localStorage.setItem(KEY, JSON.stringify(Object.fromEntries(decided)));
  } catch {
    /* see above */
  }
}

function decisionOf(proposal) {
  if (!decided.has(proposal.proposal)) {
    const known = remembered()[proposal.proposal] || { decision: proposal.decision, note: proposal.note };
    decided.set(proposal.proposal, known);
  }
  return decided.get(proposal.proposal);
}

const csvCell = (text) => `"${neutral(String(text)).replace(/"/g, '""')}"`;

function decisionsCsv(proposals) {
  const header = ["rank", "proposal", "action", "summary", "decision", "note"];
  const rows = proposals.filter((one) => decisionOf(one).decision || decisionOf(one).note);
  const lines = rows.map((one) =>
    [one.rank, one.proposal, one.action, one.summary, decisionOf(one).decision, decisionOf(one).note]
      .map(csvCell)
      .join(","),
  );
  return `${[header.join(","), ...lines].join("\n")}\n`;
}

function save(name, text) {
  const url = URL.createObjectURL(new Blob([text], { type: "text/csv" }));
  const link = h("a", { href: url, download: name });
  document.body.append(link);
  link.click();
  link.remove();
  setTimeout(() => URL.revokeObjectURL(url), 1000);
}

function today(pages, page) {
  if (typeof page === "string") return "";
  const facts = [
    pages.status[page],
    pages.indexable[page] ? "indexable" : named(pages, "reason", page),
    count(pages.words[page], "word"),
  ];
  if (pages.clicks[page]) facts.push(`${figure(pages.clicks[page], 1)} clicks/month`);
  return facts.filter((fact) => fact !== null && fact !== "").join(", ");
}

function stepsTable(pages, proposal) {
  const rows = proposal.steps.map(([page, step, target, detail]) =>
    h(
      "tr",
      {},
      h("td", { class: "w" }, step.replace("_", " ")),
      h("td", { class: "t" }, pageLink(pages, page), h("div", { class: "soft small" }, today(pages, page))),
      h("td", { class: "t" }, AFTERWARDS[step], target === "" ? null : [": ", pageLink(pages, target)]),
      h("td", { class: "t" }, bdi(detail)),
    ),
  );
  const more =
    proposal.n_steps > proposal.steps.length
      ? h("p", { class: "soft" }, `${figure(proposal.n_steps - proposal.steps.length)} more steps are in steps.csv.`)
      : null;
  return [
    h(
      "div",
      { class: "wide tall", tabindex: "0", role: "region", "aria-label": `Steps of proposal ${proposal.rank}` },
      h(
        "table",
        {},
        h("caption", {}, "Steps: each address before and after"),
        h(
          "thead",
          {},
          h(
            "tr",
            {},
            ["Step", "Address, today", "Afterwards", "What to know"].map((text) => h("th", { scope: "col" }, text)),
          ),
        ),
        h("tbody", {}, rows),
      ),
    ),
    more,
  ];
}

function beforeAfter(pages, proposal) {
  const about = [
    ...new Set(
      proposal.steps.filter(([page, step]) => step !== "relink" && typeof page === "number").map(([page]) => page),
    ),
  ];
  const leaving = new Set(
    proposal.steps
      .filter(([, step]) => ["redirect", "canonical", "noindex", "retire"].includes(step))
      .map(([page]) => page),
  );
  if (!leaving.size || proposal.n_steps > proposal.steps.length) return null;
  const listed = about.filter((page) => pages.indexable[page]);
  const stays = listed.filter((page) => !leaving.has(page));
  const words = (chosen) => chosen.reduce((sum, page) => sum + (pages.words[page] || 0), 0);
  return h(
    "p",
    { class: "soft" },
    `Before: ${count(listed.length, "address", "addresses")} in the index with ${count(words(listed), "word")}. After: ${figure(stays.length)} with ${count(words(stays), "word")}.`,
  );
}

function basisList(basis) {
  if (!basis || !Object.keys(basis).length)
    return h("p", { class: "soft" }, "The figures are in plan.csv, column basis.");
  const told = (value) =>
    Array.isArray(value)
      ? value.map(told).join(", ")
      : value && typeof value === "object"
        ? Object.entries(value)
            .map(([name, inner]) => `${local(name)}: ${told(inner)}`)
            .join("; ")
        : String(value);
  return h(
    "dl",
    { class: "facts" },
    Object.entries(basis).map(([name, value]) => [h("dt", {}, name.replace(/_/g, " ")), h("dd", {}, bdi(told(value)))]),
  );
}

// Queries with the figures of each page, now and before; what texts have in common; who held which position.
function evidenceTables(pages, proposal) {
  const { queries, shares, group } = proposal.rests_on;
  const { now, before } = document.body.dataset;
  const shown = [];
  const titled = (text) => h("th", { scope: "col", class: "n" }, text);
  if (queries.length) {
    const isCompared = queries[0][1][0].length > 4;
    const heads = ["Clicks", "Impressions", "Position"];
    const rows = queries.flatMap(([query, own]) =>
      own.map(([page, ...values], at) =>
        h(
          "tr",
          {},
          at ? h("td", {}) : h("th", { scope: "row" }, bdi(query)),
          h("td", { class: "t" }, pageLink(pages, page)),
          values.map((value) => h("td", { class: "n" }, value === null ? "\u2013" : figure(value, 1))),
        ),
      ),
    );
    shown.push(
      h(
        "div",
        { class: "wide", tabindex: "0", role: "region", "aria-label": `Queries of proposal ${proposal.rank}` },
        h(
          "table",
          {},
          h(
            "caption",
            {},
            isCompared ? `Queries, figures a month ${now}, and ${before}` : "Queries, figures a month over all of the search data",
          ),
          h(
            "thead",
            {},
            h(
              "tr",
              {},
              h("th", { scope: "col" }, "Query"),
              h("th", { scope: "col" }, "Page"),
              heads.map(titled),
              isCompared ? heads.map((text) => titled(`${text} before`)) : null,
            ),
          ),
          h("tbody", {}, rows),
        ),
      ),
    );
  }
  if (shares.length) {
    shown.push(
      h(
        "div",
        { class: "wide", tabindex: "0", role: "region", "aria-label": `Common wording of proposal ${proposal.rank}` },
        h(
          "table",
          {},
          h("caption", {}, "Wording in common with the page that stays"),
          h("thead", {}, h("tr", {}, h("th", { scope: "col" }, "Page"), titled("In common"), h("td", {}))),
          h(
            "tbody",
            {},
            shares.map(([page, kept, share]) =>
              h(
                "tr",
                {},
                h("td", { class: "t" }, pageLink(pages, page)),
                h("td", { class: "n" }, percent(share)),
                h(
                  "td",
                  { class: "w" },
                  typeof page === "number" && typeof kept === "number"
                    ? h("a", { href: `#pair/${kept}/${page}`, "aria-label": `Side by side: ${local(pages.url[kept])} and ${local(pages.url[page])}` }, "side by side")
                    : "",
                ),
              ),
            ),
          ),
        ),
      ),
    );
  }
  if (group) {
    const pictures = h("div", { class: "two" });
    part("rivals").then((rivals) => {
      const lines = Object.entries(((rivals || {})[group] || {}).lines || {}).slice(0, 2);
      pictures.append(
        ...lines.map(([query, told]) => h("div", {}, h("h3", {}, "\u2018", bdi(query), "\u2019"), positionsPicture(pages, query, told))),
      );
    });
    shown.push(pictures);
  }
  return shown;
}

function decisionControls(proposal, changed) {
  const own = decisionOf(proposal);
  const set = (name, value) => {
    own[name] = value;
    isSaved = false;
    remember();
    changed();
  };
  const select = h(
    "select",
    { onchange: (event) => set("decision", event.target.value) },
    [
      ["", "open"],
      ["accept", "accept"],
      ["reject", "reject"],
      ["later", "later"],
    ].map(([value, text]) => h("option", { value, selected: own.decision === value }, text)),
  );
  const note = h("input", {
    type: "text",
    value: own.note,
    size: 40,
    onchange: (event) => set("note", event.target.value),
  });
  return h("div", { class: "controls" }, labelled("Decision", select), labelled("Note", note));
}

function proposalDetail(pages, proposal, changed, isAll) {
  return h(
    "div",
    { class: "inside" },
    h("p", {}, bdi(proposal.why)),
    h("p", { class: "soft" }, proposal.action === "leave" ? "Look again if " : "Do not do this if ", bdi(proposal.unless), "."),
    h(
      "p",
      { class: "soft small" },
      `Owner: ${proposal.owner}. Evidence: ${proposal.evidence}. Band: ${proposal.band_name}. Proposal `,
      command(proposal.proposal),
      ".",
      proposal.at_risk ? ` At risk: ${figure(proposal.at_risk, 1)} clicks a month.` : "",
    ),
    decisionControls(proposal, changed),
    evidenceTables(pages, proposal),
    beforeAfter(pages, proposal),
    stepsTable(pages, proposal),
    isAll ? "" : h("details", {}, h("summary", {}, "All figures this rests on, for programs"), basisList(proposal.basis)),
  );
}

const inClicks = (proposal) => proposal.gain_unit === "clicks/month";

async function planView(root, { argument, query, isAll }) {
  const [{ proposals }, pages] = [await part("plan"), await part("pages")];
  const chosen = {
    text: query.get("text") || "",
    action: query.get("action") || "",
    evidence: query.get("evidence") || "",
    section: query.get("section") || "",
    decision: query.get("decision") || "",
    owner: query.get("owner") || "",
  };
  const told = h("p", { class: "soft", role: "status" });
  const saving = h(
    "button",
    {
      type: "button",
      onclick: () => {
        save("decisions.csv", decisionsCsv(proposals));
        isSaved = true;
        tell();
      },
    },
    "Save decisions",
  );

  function tell() {
    const n = proposals.filter((one) => decisionOf(one).decision || decisionOf(one).note).length;
    saving.disabled = n === 0;
    told.textContent =
      n === 0
        ? "Open a proposal to accept or reject it, or to put it off."
        : `${count(n, "decision")}${isSaved ? "" : ", not saved to a file yet"}. Save them into the audit folder; mardok audit --decisions decisions.csv and mardok handoff --decisions decisions.csv read them.`;
  }

  function showDecision(proposal) {
    const opener = [...table.element.querySelectorAll("button[data-opens]")].find(
      (one) => one.dataset.opens === proposal.proposal,
    );
    opener.closest("tr").lastElementChild.textContent = decisionOf(proposal).decision || "open";
  }

  const table = makeTable({
    caption: "Proposals, best first",
    noun: "proposal",
    rows: proposals,
    isAll,
    columns: [
      { title: "Rank", kind: "n", value: (one) => one.rank, cell: (one) => figure(one.rank) },
      { title: "Action", kind: "w", value: (one) => one.action, cell: (one) => tag(one.action) },
      {
        title: "Proposal",
        kind: "t",
        value: (one) => folded(one.summary),
        cell: (one) => h("button", { class: "plain", type: "button", "data-opens": one.proposal }, bdi(one.summary)),
      },
      { title: "Gain", kind: "n", value: (one) => (inClicks(one) ? one.gain : one.gain / 1e6), cell: gainText },
      { title: "Hours", kind: "n", value: (one) => one.effort_hours, cell: (one) => String(one.effort_hours) },
      {
        title: "Confidence",
        kind: "w",
        value: (one) => ["low", "medium", "high"].indexOf(one.confidence),
        cell: (one) => one.confidence,
      },
      {
        title: "Decision",
        kind: "w",
        value: (one) => decisionOf(one).decision,
        cell: (one) => decisionOf(one).decision || "open",
      },
    ],
    detail: (one) =>
      proposalDetail(
        pages,
        one,
        () => {
          tell();
          showDecision(one);
        },
        isAll,
      ),
  });

  function filter() {
    const text = folded(chosen.text);
    table.show(
      (one) =>
        ["action", "evidence", "section", "owner"].every((name) => !chosen[name] || one[name] === chosen[name]) &&
        (!chosen.decision || (decisionOf(one).decision || "open") === chosen.decision) &&
        (!text || folded(`${one.summary} ${one.why} ${one.proposal}`).includes(text)),
    );
  }

  const by = (name) => (value) => {
    chosen[name] = value;
    filter();
  };
  const names = (name) => distinct(proposals.map((one) => one[name]));
  root.append(
    h("p", { class: "soft" }, "In the order of what an hour of work brings. Sort by Gain for what brings most in all."),
    h(
      "div",
      { class: "controls" },
      search("Text", chosen.text, by("text")),
      choice("Action", names("action"), chosen.action, by("action")),
      choice("Evidence", names("evidence"), chosen.evidence, by("evidence")),
      choice("Section", names("section"), chosen.section, by("section")),
      choice("Owner", names("owner"), chosen.owner, by("owner")),
      choice("Decision", ["open", "accept", "reject", "later"], chosen.decision, by("decision")),
    ),
    table.element,
    h("div", { class: "controls" }, saving),
    told,
  );
  tell();
  filter();
  const wanted = proposals.find((one) => one.proposal === argument);
  if (wanted) table.open(wanted);
  if (!proposals.length)
    told.textContent =
      "Nothing to propose: no two addresses show the same page, and no two pages nearly the same text.";
}
