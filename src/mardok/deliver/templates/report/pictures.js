// Pictures that follow what is chosen; each has a text alternative, and marks or dashes beside its colours.
function wordBar(own, shared, pasted, widest) {
  const total = own + shared + pasted;
  if (!total) return "";
  const width = 130,
    scale = width / Math.max(widest, total);
  const bar = s("svg", {
    width,
    height: 14,
    viewBox: `0 0 ${width} 14`,
    role: "img",
    "aria-label": `${own} own, ${shared} shared, ${pasted} boilerplate words`,
  });
  let left = 0;
  for (const [n, name] of [
    [own, "own"],
    [shared, "shared"],
    [pasted, "pasted"],
  ]) {
    if (!n) continue;
    bar.append(s("rect", { x: left, y: 1, width: Math.max(n * scale, 1), height: 12, class: name }));
    if (name !== "own")
      bar.append(s("rect", { x: left, y: 1, width: Math.max(n * scale, 1), height: 12, fill: `url(#${name}-hatch)` }));
    left += n * scale;
  }
  return bar;
}

function hatches() {
  const pattern = (id, shape) => s("pattern", { id, width: 6, height: 6, patternUnits: "userSpaceOnUse" }, shape);
  return s(
    "svg",
    { width: 0, height: 0, "aria-hidden": "true" },
    s(
      "defs",
      {},
      pattern("shared-hatch", s("path", { d: "M-1 7 L7 -1", stroke: "#fff", "stroke-width": 1.4 })),
      pattern("pasted-hatch", s("circle", { cx: 3, cy: 3, r: 1, fill: "#fff" })),
    ),
  );
}

function axes(width, height, box, xTicks, yTicks, xLabel, yLabel) {
  const lines = [
    s("path", { d: `M${box.left} ${box.top} V${box.bottom} H${box.right}`, fill: "none", stroke: "currentColor" }),
    ...xTicks.map(([x, text]) => s("text", { x, y: box.bottom + 17, "text-anchor": "middle", "font-size": 12 }, text)),
    ...yTicks.map(([y, text]) => s("text", { x: box.left - 6, y: y + 4, "text-anchor": "end", "font-size": 12 }, text)),
    s("text", { x: (box.left + box.right) / 2, y: height - 4, "text-anchor": "middle", "font-size": 12 }, xLabel),
    s(
      "text",
      {
        x: 12,
        y: (box.top + box.bottom) / 2,
        "text-anchor": "middle",
        "font-size": 12,
        transform: `rotate(-90 12 ${(box.top + box.bottom) / 2})`,
      },
      yLabel,
    ),
  ];
  return s("svg", { viewBox: `0 0 ${width} ${height}`, width, height, role: "img" }, lines);
}

// How many pairs there are at each resemblance, with the threshold.
function distribution(resemblance, threshold) {
  const bins = new Array(50).fill(0);
  for (const value of resemblance) {
    if (value >= 500000) bins[Math.min(Math.floor((value - 500000) / 10000), 49)] += 1;
  }
  const most = Math.max(1, ...bins);
  const width = 580,
    height = 186,
    box = { left: 62, right: 550, top: 10, bottom: 140 };
  const x = (share) => box.left + ((share - 0.5) / 0.5) * (box.right - box.left);
  const y = (n) => box.bottom - (n / most) * (box.bottom - box.top);
  const picture = axes(
    width,
    height,
    box,
    [0.5, 0.6, 0.7, 0.8, 0.9, 1].map((share) => [x(share), percent(share)]),
    [
      [box.bottom, "0"],
      [box.top, figure(most)],
    ],
    "resemblance of two pages",
    "pairs",
  );
  bins.forEach((n, at) => {
    if (n)
      picture.append(
        s("rect", {
          x: x(0.5 + at / 100) + 0.5,
          y: y(n),
          width: (box.right - box.left) / 50 - 1,
          height: box.bottom - y(n),
          class: "own",
        }),
      );
  });
  const above = resemblance.filter((value) => value >= threshold * 1e6 - 0.5).length;
  picture.append(
    s("path", {
      d: `M${x(threshold)} ${box.top} V${box.bottom}`,
      stroke: "var(--amber)",
      "stroke-width": 2,
      "stroke-dasharray": "6 4",
    }),
    s("text", { x: x(threshold) - 6, y: box.top + 10, "text-anchor": "end", "font-size": 12 }, percent(threshold)),
  );
  picture.setAttribute(
    "aria-label",
    `Of ${count(resemblance.length, "kept pair")}, ${figure(above)} resemble each other by ${percent(threshold)} or more.`,
  );
  return picture;
}

const DASHES = ["", "7 4", "2 3", "9 3 2 3"];
const COLOURS = ["var(--own)", "var(--shared)", "currentColor", "var(--pasted)"];

// Who held which position, week by week. lines: {page: [weeks, positions]}.
function positionsPicture(pages, query, lines) {
  const weeks = distinct(Object.values(lines).flatMap(([told]) => told));
  const place = new Map(weeks.map((week, at) => [week, at]));
  const worst = Math.max(...Object.values(lines).flatMap(([, positions]) => positions), 2);
  const best = Math.min(...Object.values(lines).flatMap(([, positions]) => positions), worst - 1);
  const numbers = Object.keys(lines);
  const width = 620,
    box = { left: 46, right: 610, top: 12, bottom: 170 },
    height = 214;
  const x = (at) => box.left + (weeks.length > 1 ? (at / (weeks.length - 1)) * (box.right - box.left) : 0);
  const y = (position) => box.top + ((position - best) / (worst - best)) * (box.bottom - box.top);
  const shown = [...new Set([0, 0.25, 0.5, 0.75, 1].map((share) => Math.round(share * (weeks.length - 1))))];
  const picture = axes(
    width,
    height,
    box,
    shown.map((at) => [Math.min(Math.max(x(at), 70), 578), weeks[at]]),
    [
      [box.top, best.toFixed(0)],
      [box.bottom, worst.toFixed(0)],
    ],
    "week",
    "position",
  );
  numbers.forEach((page, number) => {
    const [told, positions] = lines[page];
    let path = "",
      last = -2;
    told.forEach((week, at) => {
      const now = place.get(week);
      path += `${now === last + 1 ? "L" : "M"}${x(now).toFixed(1)} ${y(positions[at]).toFixed(1)}`;
      last = now;
    });
    picture.append(
      s("path", {
        d: path,
        fill: "none",
        stroke: COLOURS[number % 4],
        "stroke-width": 2,
        "stroke-dasharray": DASHES[number % 4],
      }),
    );
  });
  const means = numbers.map(
    (page) =>
      `${local(pages.url[page])} at ${(lines[page][1].reduce((sum, value) => sum + value, 0) / lines[page][1].length).toFixed(1)} on average`,
  );
  picture.setAttribute(
    "aria-label",
    `Positions for '${query}' from ${weeks[0]} to ${weeks[weeks.length - 1]}: ${means.join("; ")}.`,
  );
  const legend = numbers.map((page, number) =>
    h(
      "li",
      {},
      s(
        "svg",
        { width: 40, height: 10, "aria-hidden": "true" },
        s("path", {
          d: "M0 5 H40",
          stroke: COLOURS[number % 4],
          "stroke-width": 2,
          "stroke-dasharray": DASHES[number % 4],
        }),
      ),
      " ",
      bdi(local(pages.url[page])),
    ),
  );
  return h(
    "figure",
    {},
    picture,
    h("figcaption", {}, "Mean position by week, the top of the results is up.", h("ul", { class: "plain" }, legend)),
  );
}
