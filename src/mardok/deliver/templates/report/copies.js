// Groups of pages with one text, at any threshold; two pages side by side.
const resemblanceOf = new Map();

function knownPairs(pairs) {
  if (!resemblanceOf.size) pairs.a.forEach((a, at) => resemblanceOf.set(a * 2097152 + pairs.b[at], at));
  return (one, other) => {
    const at = resemblanceOf.get(one < other ? one * 2097152 + other : other * 2097152 + one);
    return at === undefined
      ? null
      : { resemblance: pairs.resemblance[at] / 1e6, contained: (one < other ? pairs.a_in_b : pairs.b_in_a)[at] / 1e6 };
  };
}

// Sets of pages that hang together by pairs of at least so much resemblance; those of most pages first.
function hangingTogether(pairs, threshold, nPages) {
  const parent = new Int32Array(nPages).fill(-1);
  const find = (page) => {
    let root = page;
    while (parent[root] !== root) root = parent[root];
    for (let at = page; at !== root;) {
      const up = parent[at];
      parent[at] = root;
      at = up;
    }
    return root;
  };
  const least = Math.round(threshold * 1e6);
  for (let at = 0; at < pairs.a.length; at += 1) {
    if (pairs.resemblance[at] < least) continue;
    const a = pairs.a[at],
      b = pairs.b[at];
    if (parent[a] < 0) parent[a] = a;
    if (parent[b] < 0) parent[b] = b;
    const one = find(a),
      other = find(b);
    if (one !== other) parent[Math.max(one, other)] = Math.min(one, other);
  }
  const sets = new Map();
  for (let page = 0; page < nPages; page += 1) {
    if (parent[page] < 0) continue;
    const root = find(page);
    if (sets.has(root)) sets.get(root).push(page);
    else sets.set(root, [page]);
  }
  return [...sets.values()].sort((a, b) => b.length - a.length || a[0] - b[0]);
}

function membersTable(pages, group, known) {
  const [first] = group.members;
  const rows = group.members.map((page, at) => {
    const pair = at ? known(page, first) : null;
    return h(
      "tr",
      {},
      h("td", { class: "w" }, group.has_keeper ? tag(at ? "member" : "keeper") : ""),
      h("td", { class: "t" }, pageLink(pages, page, true)),
      h("td", { class: "n" }, figure(pages.words[page])),
      h(
        "td",
        { class: "n" },
        !at ? "" : group.identical && group.identical[at] ? "identical" : pair ? percent(pair.resemblance) : "",
      ),
      h("td", { class: "n" }, pair ? percent(pair.contained) : ""),
      h("td", { class: "n" }, figure(pages.inlinks[page])),
      h("td", { class: "n" }, figure(pages.clicks[page], 1)),
      h(
        "td",
        { class: "w" },
        at
          ? h(
              "a",
              {
                href: `#pair/${first}/${page}`,
                "aria-label": `Side by side: ${local(pages.url[first])} and ${local(pages.url[page])}`,
              },
              "side by side",
            )
          : "",
      ),
    );
  });
  const heads = [
    ["", ""],
    ["Page", ""],
    ["Words", "n"],
    ["Like the first", "n"],
    ["Contained in it", "n"],
    ["Inlinks", "n"],
    ["Clicks/month", "n"],
    ["", ""],
  ];
  const more =
    group.n > group.members.length
      ? h("p", { class: "soft" }, `${figure(group.n - group.members.length)} more pages are in groups.csv.`)
      : null;
  return h(
    "div",
    { class: "inside" },
    h(
      "div",
      {
        class: "wide tall",
        tabindex: "0",
        role: "region",
        "aria-label": `Pages with the text of ${local(pages.url[first])}`,
      },
      h(
        "table",
        {},
        h(
          "thead",
          {},
          h(
            "tr",
            {},
            heads.map(([text, kind]) => (text ? h("th", { scope: "col", class: kind || null }, text) : h("td", {}))),
          ),
        ),
        h("tbody", {}, rows),
      ),
    ),
    more,
  );
}

function groupTitle(pages, group) {
  const [first] = group.members;
  return [bdi(local(pages.url[first])), group.phrase ? [" \u2013 ", bdi(group.phrase)] : null];
}

async function copiesView(root, { argument, isAll }) {
  const [groups, pages, pairs] = [await part("groups"), await part("pages"), await part("pairs")];
  const known = knownPairs(pairs);
  const usual = Number(document.body.dataset.threshold);
  const found = groups.filter((group) => group.kind !== "rivals");
  const place = h("div"),
    picture = h("figure"),
    told = h("p", { class: "soft", role: "status" });
  const columns = [
    { title: "Pages", kind: "n", value: (group) => group.n, cell: (group) => figure(group.n) },
    { title: "Kind", kind: "w", value: (group) => group.kind, cell: (group) => group.kind },
    {
      title: "First page, and what they have in common",
      kind: "t",
      value: (group) => pages.url[group.members[0]],
      cell: (group) =>
        h("button", { class: "plain", type: "button", "data-opens": group.id }, groupTitle(pages, group)),
    },
    { title: "Evidence", kind: "w", value: (group) => group.evidence, cell: (group) => group.evidence || "" },
    { title: "Confidence", kind: "w", value: (group) => group.confidence, cell: (group) => group.confidence || "" },
  ];

  function draw(threshold) {
    const isUsual = Math.abs(threshold - usual) < 1e-9;
    const rows = isUsual
      ? found
      : hangingTogether(pairs, threshold, pages.url.length).map((members) => ({
          id: `set-${members[0]}`,
          kind: "copies",
          n: members.length,
          members,
          phrase: "",
          has_keeper: false,
        }));
    const table = makeTable({
      caption: isUsual ? "Groups as the plan has them" : `Pages that hang together at ${percent(threshold)}`,
      noun: "group",
      rows,
      isAll,
      columns: isUsual ? columns : columns.slice(0, 3),
      detail: (group) => membersTable(pages, group, known),
    });
    place.replaceChildren(table.element);
    picture.replaceChildren(
      distribution(pairs.resemblance, threshold),
      h("figcaption", {}, "Kept pairs of pages by how much they resemble each other; the line is the threshold."),
    );
    told.textContent = isUsual
      ? `At ${percent(threshold)}, as the audit was made.`
      : `At ${percent(threshold)}: every page of a set resembles another of it by that much or more. Languages and titles are not looked at here; to plan with it: mardok audit DIR -o DIR --set copies.resemblance=${threshold}`;
    const wanted = rows.find((group) => group.id === argument);
    if (wanted) table.open(wanted);
  }

  const output = h("output", {}, percent(usual));
  const slider = h("input", {
    type: "range",
    min: 50,
    max: 100,
    step: 1,
    value: Math.round(usual * 100),
    oninput: (event) => {
      output.textContent = `${event.target.value}%`;
      draw(event.target.value / 100);
    },
  });
  root.append(
    h(
      "p",
      { class: "soft" },
      "Variants are addresses of one page, copies pages with nearly one text, a series pages built on one title pattern. A page is compared by its main text, without the furniture of the page.",
    ),
    h("div", { class: "controls" }, labelled("Resemblance from which two pages are copies", slider), output),
    picture,
    told,
    place,
  );
  draw(usual);
}

async function textsOf(number) {
  const index = await part("texts-index");
  if (!index || !(number in index)) return null;
  const chunk = await part(`texts-${index[number]}`);
  const page = chunk.pages[number];
  return page.t.map((at, block) => ({ text: chunk.texts[at], main: Boolean(page.m[block]), reason: page.r[block] }));
}

// What stands in chrome, run by run of one reason.
function chromeCell(text, blocks, side) {
  const element = h("div", { class: `chrome ${side}` });
  let reason = null,
    line = null;
  for (const at of blocks) {
    if (text[at].reason !== reason) {
      ({ reason } = text[at]);
      line = h("div", {}, h("b", {}, `Left out (${reason}): `));
      element.append(line);
    } else line.append(" \u00b7 ");
    line.append(bdi(text[at].text));
  }
  return blocks.length ? element : h("div", { class: side });
}

function blockCell(marked, at, side) {
  const element = h("div", { class: side, dir: "auto" });
  let run = [],
    isSame = true;
  const flush = () => {
    if (run.length) element.append(isSame ? `${run.join(" ")} ` : h("mark", {}, run.join(" ")), isSame ? "" : " ");
    run = [];
  };
  for (const [piece, same] of marked.get(at) || []) {
    if (same !== isSame) {
      flush();
      isSame = same;
    }
    run.push(piece);
  }
  flush();
  return element;
}

async function pairView(root, { argument }) {
  const [pages, pairs, index] = [await part("pages"), await part("pairs"), await part("texts-index")];
  const known = knownPairs(pairs);
  const options = Object.keys(index).map(Number);
  let [a, b] = argument.split("/").map(Number);
  const place = h("div");
  let withChrome = false,
    onlyDifferent = false;

  async function draw() {
    const [one, other] = [await textsOf(a), await textsOf(b)];
    if (!one || !other) {
      const missing = one ? b : a;
      place.replaceChildren(
        h(
          "p",
          {},
          "The report holds no text of ",
          bdi(local(pages.url[missing] || "this page")),
          ". In a terminal: ",
          command(`mardok pair DIR ${pages.url[a] || "URL"} ${pages.url[b] || "URL"}`),
        ),
      );
      return;
    }
    const found = aligned(one, other);
    const pair = known(a, b);
    const isSame = (row) =>
      row.a >= 0 &&
      row.b >= 0 &&
      one[row.a].main &&
      other[row.b].main &&
      found.a.get(row.a).every(([, same]) => same) &&
      found.b.get(row.b).every(([, same]) => same);
    const cells = [h("div", { class: "head" }, pageLink(pages, a)), h("div", { class: "head b" }, pageLink(pages, b))];
    let nSame = 0;
    const left = { a: [], b: [] };
    const flush = () => {
      if (nSame) cells.push(h("div", { class: "fold" }, `${count(nSame, "block")} the same`));
      nSame = 0;
      if (withChrome && left.a.length + left.b.length)
        cells.push(chromeCell(one, left.a, "a"), chromeCell(other, left.b, "b"));
      left.a = [];
      left.b = [];
    };
    const isMain = { a: (at) => at >= 0 && one[at].main, b: (at) => at >= 0 && other[at].main };
    for (const row of found.rows) {
      for (const side of ["a", "b"]) if (row[side] >= 0 && !isMain[side](row[side])) left[side].push(row[side]);
      if (!isMain.a(row.a) && !isMain.b(row.b)) continue;
      if (onlyDifferent && isSame(row)) {
        nSame += 1;
        continue;
      }
      flush();
      cells.push(blockCell(found.a, row.a, "a"), blockCell(found.b, row.b, "b"));
    }
    flush();
    const differing = (marked) => [...marked.values()].flat().filter(([, same]) => !same).length;
    place.replaceChildren(
      h(
        "p",
        { role: "status" },
        pair
          ? `${percent(pair.resemblance)} of the wording is common (runs of three words in both, of those in either). `
          : "Less than half of the wording is common. ",
        `${count(differing(found.a), "word")} of the first and ${figure(differing(found.b))} of the second are not in the other, marked and underlined below.`,
      ),
      h("div", { class: "pair", role: "region", tabindex: "0", "aria-label": "The two texts side by side" }, cells),
    );
  }

  const list = h("datalist", { id: "grouped-pages" });
  const suggest = (text) =>
    list.replaceChildren(
      ...options
        .filter((page) => pages.url[page].includes(text))
        .slice(0, 30)
        .map((page) => h("option", { value: pages.url[page] })),
    );
  suggest("");
  const chooser = (label, page, set) =>
    labelled(
      label,
      h("input", {
        type: "text",
        list: "grouped-pages",
        size: 44,
        value: pages.url[page] || "",
        oninput: (event) => suggest(event.target.value),
        onchange: (event) => {
          const at = pages.url.indexOf(event.target.value.trim());
          if (at >= 0) {
            set(at);
            history.replaceState(null, "", `#pair/${a}/${b}`);
            draw();
          }
        },
      }),
    );
  const box = (text, set) =>
    h(
      "label",
      { class: "inline" },
      h("input", {
        type: "checkbox",
        onchange: (event) => {
          set(event.target.checked);
          draw();
        },
      }),
      text,
    );
  root.append(
    h(
      "div",
      { class: "controls" },
      chooser("One page", a, (page) => {
        a = page;
      }),
      chooser("Other page", b, (page) => {
        b = page;
      }),
      list,
      box("Show what is left out", (isOn) => {
        withChrome = isOn;
      }),
      box("Only what differs", (isOn) => {
        onlyDifferent = isOn;
      }),
    ),
    place,
  );
  await draw();
}
