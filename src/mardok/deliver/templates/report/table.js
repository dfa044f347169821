// Rows of a table on paper.
const PAPER = 300;

// A table that shows some rows at a time, on paper the first ones with all that opens; headings sort, a row may open.
// columns: {title, value: row -> number or text to sort by, cell: row -> content, kind: "n", "w" or "t"}.
function makeTable({
  caption,
  columns,
  rows,
  size = 50,
  sort = null,
  detail = null,
  label = null,
  isAll = false,
  noun = "row",
}) {
  const status = h("span", { class: "count", role: "status" });
  const body = h("tbody");
  let inOrder = null;
  let listed = null;
  let keep = null;
  let first = 0;
  let order = sort;
  const opened = new Set();
  const heads = columns.map((column, at) => {
    const text =
      column.value && !isAll
        ? h("button", { class: "plain", type: "button", onclick: () => sortBy(at) }, column.title)
        : column.title;
    return h("th", { scope: "col", class: column.kind || null }, text);
  });
  const previous = h("button", { type: "button", onclick: () => turn(-size) }, "Previous");
  const next = h("button", { type: "button", onclick: () => turn(size) }, "Next");
  const pager = h("div", { class: "pager" }, previous, next, status);

  function sortBy(at) {
    const isAgain = order && order.at === at;
    order = { at, down: isAgain ? !order.down : columns[at].kind === "n" };
    inOrder = listed = null;
    first = 0;
    draw();
  }

  // All rows are sorted once for an order; a filter only picks from them.
  function sorted() {
    if (!order) return rows;
    if (inOrder) return inOrder;
    const { value } = columns[order.at];
    const keys = rows.map(value);
    const places = rows.map((_, at) => at);
    const turnedBy = order.down ? -1 : 1;
    const isMissing = (key) => key === null || key === undefined;
    places.sort((i, j) => {
      const a = keys[i],
        b = keys[j];
      if (a === b) return i - j;
      if (isMissing(a)) return isMissing(b) ? i - j : 1;
      if (isMissing(b)) return -1;
      return a < b ? -turnedBy : turnedBy;
    });
    inOrder = places.map((at) => rows[at]);
    return inOrder;
  }

  function turn(by) {
    first = Math.max(0, first + by);
    draw();
  }

  function lines(row) {
    const cells = columns.map((column) => h("td", { class: column.kind || null }, column.cell(row)));
    const line = h("tr", {}, cells);
    if (!detail) return [line];
    const isOpen = isAll || opened.has(row);
    const button = line.querySelector("button[data-opens]");
    if (button) {
      button.setAttribute("aria-expanded", String(isOpen));
      button.addEventListener("click", () => {
        if (opened.has(row)) opened.delete(row);
        else opened.add(row);
        draw();
        const again = [...body.querySelectorAll("button[data-opens]")].find(
          (one) => one.dataset.opens === button.dataset.opens,
        );
        if (again) again.focus();
      });
    }
    if (!isOpen) return [line];
    line.classList.add("open");
    return [line, h("tr", { class: "detail" }, h("td", { colspan: columns.length }, detail(row)))];
  }

  function draw() {
    listed ??= keep ? sorted().filter(keep) : sorted();
    const step = isAll ? PAPER : size;
    const last = Math.min(first + step, listed.length);
    body.replaceChildren(...listed.slice(first, last).flatMap(lines));
    heads.forEach((head, at) => {
      if (!columns[at].value || isAll) return;
      if (order && order.at === at) head.setAttribute("aria-sort", order.down ? "descending" : "ascending");
      else head.removeAttribute("aria-sort");
    });
    status.textContent =
      listed.length > step
        ? `${figure(first + 1)} to ${figure(last)} of ${count(listed.length, noun)}`
        : count(listed.length, noun);
    previous.hidden = next.hidden = listed.length <= size || isAll;
    previous.disabled = first === 0;
    next.disabled = last >= listed.length;
  }

  draw();
  const table = h("table", {}, h("caption", {}, caption), h("thead", {}, h("tr", {}, heads)), body);
  const element = h(
    "div",
    {},
    isAll ? h("p", { class: "soft" }, status) : pager,
    h("div", { class: "wide", tabindex: "0", role: "region", "aria-label": label || caption }, table),
  );
  return {
    element,
    show(wanted) {
      keep = wanted;
      listed = null;
      first = 0;
      draw();
    },
    open(row) {
      opened.add(row);
      const at = listed.indexOf(row);
      first = at < 0 ? 0 : Math.floor(at / size) * size;
      draw();
    },
  };
}
