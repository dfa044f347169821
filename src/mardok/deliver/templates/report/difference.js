// Which words two texts do not have in common: pieces that occur once in both hold the alignment, between them the longest
// common subsequence is sought, as `mardok pair` does it.
const PIECE =
  /[\p{scx=Han}\p{scx=Hira}\p{scx=Kana}\p{scx=Thai}\p{scx=Khmr}\p{scx=Laoo}\p{scx=Mymr}]\p{M}*|[^\s\p{scx=Han}\p{scx=Hira}\p{scx=Kana}\p{scx=Thai}\p{scx=Khmr}\p{scx=Laoo}\p{scx=Mymr}]+/gu;
const MOST_CELLS = 4e6;

const pieces = (text) => text.match(PIECE) || [];

function uniqueRuns(keys) {
  const place = new Map();
  for (let at = 0; at + 2 < keys.length; at += 1) {
    const run = `${keys[at]} ${keys[at + 1]} ${keys[at + 2]}`;
    place.set(run, place.has(run) ? -1 : at);
  }
  return place;
}

function anchors(a, b) {
  const inB = uniqueRuns(b);
  const pairs = [];
  for (const [run, at] of uniqueRuns(a)) {
    const there = inB.get(run);
    if (at >= 0 && there !== undefined && there >= 0) pairs.push([at, there]);
  }
  pairs.sort((one, other) => one[0] - other[0]);
  const ends = [],
    endOf = [],
    before = [];
  pairs.forEach(([, there], index) => {
    let low = 0,
      high = ends.length;
    while (low < high) {
      const middle = (low + high) >> 1;
      if (ends[middle] < there) low = middle + 1;
      else high = middle;
    }
    before.push(low ? endOf[low - 1] : -1);
    ends[low] = there;
    endOf[low] = index;
  });
  const chain = [];
  for (let index = ends.length ? endOf[ends.length - 1] : -1; index >= 0; index = before[index])
    chain.push(pairs[index]);
  return chain.reverse();
}

function between(a, b, fromA, toA, fromB, toB, mark) {
  while (fromA < toA && fromB < toB && a[fromA] === b[fromB]) mark(fromA++, fromB++);
  while (fromA < toA && fromB < toB && a[toA - 1] === b[toB - 1]) mark(--toA, --toB);
  const n = toA - fromA,
    m = toB - fromB;
  if (!n || !m || n * m > MOST_CELLS) return;
  const width = m + 1;
  const length = new Uint16Array((n + 1) * width);
  for (let i = n - 1; i >= 0; i -= 1) {
    for (let j = m - 1; j >= 0; j -= 1) {
      length[i * width + j] =
        a[fromA + i] === b[fromB + j]
          ? length[(i + 1) * width + j + 1] + 1
          : Math.max(length[(i + 1) * width + j], length[i * width + j + 1]);
    }
  }
  for (let i = 0, j = 0; i < n && j < m;) {
    if (a[fromA + i] === b[fromB + j]) mark(fromA + i++, fromB + j++);
    else if (length[(i + 1) * width + j] >= length[i * width + j + 1]) i += 1;
    else j += 1;
  }
}

// For each piece of a the place of its equal in b, -1 if it has none.
function matches(a, b) {
  const found = new Int32Array(a.length).fill(-1);
  const mark = (i, j) => {
    found[i] = j;
  };
  let atA = 0,
    atB = 0;
  for (const [anchorA, anchorB] of [...anchors(a, b), [a.length, b.length]]) {
    if (anchorA < atA || anchorB < atB) continue;
    between(a, b, atA, anchorA, atB, anchorB, mark);
    let length = 0;
    while (anchorA + length < a.length && anchorB + length < b.length && a[anchorA + length] === b[anchorB + length]) {
      mark(anchorA + length, anchorB + length);
      length += 1;
    }
    atA = anchorA + length;
    atB = anchorB + length;
  }
  return found;
}

// Blocks of main text with their pieces: {block, first, pieces}.
function mainBlocks(text) {
  const found = [];
  let first = 0;
  text.forEach((block, at) => {
    if (!block.main) return;
    const own = pieces(block.text);
    found.push({ at, first, pieces: own });
    first += own.length;
  });
  return found;
}

// Rows of two texts, in reading order: {a, b} numbers of blocks or -1; blocks that share most words stand in one row.
function aligned(textA, textB) {
  const a = mainBlocks(textA),
    b = mainBlocks(textB);
  const keysA = a.flatMap((block) => block.pieces.map(folded)),
    keysB = b.flatMap((block) => block.pieces.map(folded));
  const inB = matches(keysA, keysB);
  const inA = new Int32Array(keysB.length).fill(-1);
  inB.forEach((j, i) => {
    if (j >= 0) inA[j] = i;
  });
  const blockOfB = new Int32Array(keysB.length);
  b.forEach((block, number) => blockOfB.fill(number, block.first, block.first + block.pieces.length));
  const votes = [];
  a.forEach((block, number) => {
    const tally = new Map();
    for (let i = block.first; i < block.first + block.pieces.length; i += 1) {
      if (inB[i] >= 0) tally.set(blockOfB[inB[i]], (tally.get(blockOfB[inB[i]]) || 0) + 1);
    }
    for (const [other, n] of tally) votes.push([n, number, other]);
  });
  votes.sort((one, other) => other[0] - one[0] || one[1] - other[1] || one[2] - other[2]);
  const partner = new Map(),
    taken = new Set();
  for (const [, i, j] of votes) {
    if (partner.has(i) || taken.has(j)) continue;
    if ([...partner].every(([k, l]) => k < i === l < j)) {
      partner.set(i, j);
      taken.add(j);
    }
  }
  const rows = [];
  let atA = 0,
    atB = 0;
  const upTo = (endA, endB) => {
    while (atA < endA || atB < endB) rows.push({ a: atA < endA ? atA++ : -1, b: atB < endB ? atB++ : -1 });
  };
  for (const [i, j] of [...partner].sort((one, other) => one[0] - other[0])) {
    upTo(a[i].at, b[j].at);
    rows.push({ a: a[i].at, b: b[j].at });
    atA = a[i].at + 1;
    atB = b[j].at + 1;
  }
  upTo(textA.length, textB.length);
  const marked = (blocks, known) =>
    new Map(blocks.map((block) => [block.at, block.pieces.map((piece, k) => [piece, known[block.first + k] >= 0])]));
  return { rows, a: marked(a, inB), b: marked(b, inA) };
}
