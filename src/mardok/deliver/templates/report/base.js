// Parts of the report, elements, words. What pages say only ever becomes text nodes.
const SVG = "http://www.w3.org/2000/svg";
const parts = new Map();

async function unpack(name) {
  const element = document.getElementById(`part-${name}`);
  if (!element) return null;
  const raw = atob(element.textContent);
  const bytes = new Uint8Array(raw.length);
  for (let at = 0; at < raw.length; at += 1) bytes[at] = raw.charCodeAt(at);
  const stream = new Blob([bytes]).stream().pipeThrough(new DecompressionStream("gzip"));
  return JSON.parse(await new Response(stream).text());
}

function part(name) {
  if (!parts.has(name)) {
    const promise = unpack(name).then((content) => {
      promise.content = content;
      return content;
    });
    parts.set(name, promise);
  }
  return parts.get(name);
}

function unpacked(name) {
  return parts.has(name) ? parts.get(name).content : undefined;
}

function filled(element, attributes, children) {
  for (const [name, value] of Object.entries(attributes || {})) {
    if (value === null || value === undefined || value === false) continue;
    if (name.startsWith("on")) element.addEventListener(name.slice(2), value);
    else if (name === "value") element.value = value;
    else element.setAttribute(name, value === true ? "" : value);
  }
  element.append(...children.flat(3).filter((child) => child !== null && child !== undefined && child !== false));
  return element;
}

const h = (tag, attributes, ...children) => filled(document.createElement(tag), attributes, children);
const s = (tag, attributes, ...children) => filled(document.createElementNS(SVG, tag), attributes, children);
const bdi = (text) => h("bdi", { dir: "auto" }, text);

const HOME = document.body.dataset.home;
const local = (url) => (url !== HOME && url.startsWith(HOME) ? url.slice(HOME.length) : url);
const outward = (url) =>
  /^https?:/.test(url)
    ? h("a", { class: "out", href: url, rel: "noreferrer", target: "_blank", "aria-label": `Open ${url}` }, "\u2197")
    : null;

// Pages: by number, or by address where the report does not list them.
const urlOf = (pages, page) => (typeof page === "string" ? page : pages.url[page]);

function pageLink(pages, page, withTitle = false) {
  if (page === "" || page === -1) return null;
  const url = urlOf(pages, page);
  const name = bdi(local(url));
  const link = typeof page === "string" ? name : h("a", { href: `#page/${page}` }, name);
  return [
    link,
    " ",
    outward(url),
    withTitle && typeof page === "number"
      ? h("div", { class: "soft small" }, bdi(pages.title[page] || "no title"))
      : null,
  ];
}

const named = (pages, column, page) => pages[column].names[pages[column].codes[page]];
const tag = (word) => h("span", { class: `tag ${word}` }, word);
const command = (text) => h("code", {}, text);

let lastId = 0;

function labelled(text, control) {
  lastId += 1;
  control.id = `control-${lastId}`;
  return h("div", { class: "field" }, h("label", { for: control.id }, text), control);
}

function choice(label, names, chosen, onchange, all = "all") {
  const options = [
    all === null ? null : h("option", { value: "" }, all),
    ...names.map((name) => h("option", { value: name, selected: name === chosen }, name || "none")),
  ];
  return labelled(label, h("select", { onchange: (event) => onchange(event.target.value) }, options));
}

function search(label, value, oninput) {
  return labelled(label, h("input", { type: "search", value, oninput: (event) => oninput(event.target.value) }));
}

const distinct = (values) => [...new Set(values)].sort();
