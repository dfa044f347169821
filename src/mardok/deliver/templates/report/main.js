// Which view is shown: the part of the address behind the hash sign, such as #plan, #page/12 or #pages?thin=yes.
const VIEWS = {
  plan: ["Plan", planView],
  copies: ["Copies", copiesView],
  pair: ["Two pages side by side", pairView],
  wording: ["Wording", wordingView],
  proof: ["Words and facts", proofView],
  rivals: ["Rivals", rivalsView],
  pages: ["Pages", pagesView],
  page: ["One page", sheetView],
  checks: ["Checks", checksView],
};
const FURTHER = { pair: "copies", page: "pages" };
const section = (name) => document.querySelector(`section[data-view="${name}"]`);
let shownLast = "";

async function fill(name, state) {
  const root = section(name);
  const inner = h("div");
  await VIEWS[name][1](inner, state);
  root.replaceChildren(h("h2", { tabindex: "-1" }, VIEWS[name][0]), inner);
}

// An address that somebody has cut in the middle leads to the first view.
function decoded(text) {
  try {
    return decodeURIComponent(text);
  } catch {
    return "";
  }
}

async function show() {
  const [path, queries] = decoded(location.hash.slice(1)).split("?");
  const [name, ...rest] = path.split("/");
  const view = name in VIEWS || name === "read" ? name : "start";
  const asked = `${view}/${rest.join("/")}?${queries || ""}`;
  shownLast = asked;
  if (view in VIEWS)
    await fill(view, { argument: rest.join("/"), query: new URLSearchParams(queries || ""), isAll: false });
  if (shownLast !== asked) return;
  for (const element of document.querySelectorAll("section[data-view]")) element.hidden = element.dataset.view !== view;
  for (const link of document.querySelectorAll("nav.views a")) {
    if (link.hash === `#${FURTHER[view] || view}`) link.setAttribute("aria-current", "page");
    else link.removeAttribute("aria-current");
  }
  if (location.hash) section(view).querySelector("h2").focus();
  const opened = section(view).querySelector('[aria-expanded="true"]');
  if (rest.length && opened) opened.scrollIntoView({ block: "start" });
  else scrollTo(0, 0);
  document.body.dataset.shown = asked;
}

// On paper stands all that the screen opens one by one. Printing does not wait for parts to be unpacked, so they are
// unpacked before; what is awaited then is there at once, and the views are complete when the listener returns.
const ON_PAPER = ["plan", "copies", "wording", "rivals", "pages", "checks"];

async function prepare() {
  for (const name of ["plan", "pages", "groups", "pairs", "wording", "rivals", "checks"]) await part(name);
  const rivals = unpacked("groups")
    .filter((group) => group.kind === "rivals")
    .slice(0, PAPER);
  await promisesOf(rivals.flatMap((group) => group.members));
  document.body.dataset.printable = "yes";
}

function toPaper() {
  for (const name of ON_PAPER) fill(name, { argument: "", query: new URLSearchParams(), isAll: true });
  for (const element of document.querySelectorAll("section[data-view]"))
    element.hidden = ["pair", "page"].includes(element.dataset.view);
}

document.body.append(hatches());
addEventListener("hashchange", show);
addEventListener("beforeprint", toPaper);
addEventListener("afterprint", show);
matchMedia("print").addEventListener("change", (media) => (media.matches ? toPaper() : show()));
show().then(() => (window.requestIdleCallback ? requestIdleCallback(prepare) : setTimeout(prepare, 200)));
