// How figures and words are written: the same as in Python, which tests/golden.json holds both to.
const roundHalfEven = (value) => {
  const below = Math.floor(value);
  const rest = value - below;
  if (rest !== 0.5) return Math.round(value);
  return below % 2 === 0 ? below : below + 1;
};

const figure = (value, decimals = 0) =>
  value === null || value === undefined
    ? ""
    : value
        .toLocaleString("en-US", {
          minimumFractionDigits: decimals,
          maximumFractionDigits: decimals,
          roundingMode: "halfEven",
        })
        .replace("-", "\u2212");

const count = (n, noun, plural) => `${figure(n)} ${n === 1 || noun === "series" ? noun : plural || `${noun}s`}`;

// Never "100%" unless it is all, nor "0%" unless it is nothing.
function percent(share) {
  if (share === null || share === undefined) return "";
  const hundred = share * 100;
  if (share < 1 && hundred >= 99) return `${Math.floor(hundred * 10) / 10}%`;
  if (hundred > 0 && hundred < 0.001) return "<0.001%";
  // A quarter is the one number below 1 that lies just between two of one digit, and the even one is taken.
  if (hundred > 0 && hundred < 1) return `${hundred === 0.25 ? 0.2 : Number(hundred.toPrecision(1))}%`;
  return `${roundHalfEven(hundred)}%`;
}

function signed(value) {
  const whole = roundHalfEven(value);
  return whole === 0 ? "0" : (whole > 0 ? "+" : "") + figure(whole);
}

function gainText(proposal) {
  if (proposal.band === 1) return "something is broken";
  if (!proposal.gain && !proposal.gain_low && !proposal.gain_high) return "not estimated";
  if (proposal.gain_unit === "link weight") return `${percent(proposal.gain)} link weight`;
  return `${signed(proposal.gain)} clicks/month (${signed(proposal.gain_low)} to ${signed(proposal.gain_high)})`;
}

const VANISHING = /[\u00ad\u200b-\u200d\u2060\ufeff]/g;

// Unicode case folding: what is upper case alike is one letter, but for the Turkish i without a dot; a sigma has one form.
const caseFolded = (text) =>
  [...text]
    .map((letter) => (letter === "\u0131" ? letter : letter.toLowerCase().toUpperCase().toLowerCase()))
    .join("")
    .replace(/\u03c2/g, "\u03c3");

const folded = (text) =>
  caseFolded(text.replace(VANISHING, "").normalize("NFKC"))
    .normalize("NFKC")
    .replace(/\u2019/g, "'")
    .replace(/\u2010/g, "-");

// Signs that a terminal obeys or that change the direction of what follows; each gets a stand-in that is seen.
const UNSEEN = /(?![\t\n\r])[\p{Cc}\u061c\u200e\u200f\u202a-\u202e\u2066-\u2069\ufffe\uffff]/gu;
const visible = (text) => text.replace(UNSEEN, "\ufffd");
// Text that no spreadsheet runs as a formula.
const neutral = (text) => (/^'*[=+\-@\t\r]/.test(visible(text)) ? `'${visible(text)}` : visible(text));
