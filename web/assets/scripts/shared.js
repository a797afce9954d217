// What several of the scripts after this one use.

// newKey makes a random UUID; crypto.randomUUID is missing where a phone in the house
// opens the page without HTTPS.
const newKey = () => {
  const b = crypto.getRandomValues(new Uint8Array(16));
  b[6] = (b[6] & 15) | 64;
  b[8] = (b[8] & 63) | 128;
  const x = [...b].map(n => n.toString(16).padStart(2, "0")).join("");
  return [x.slice(0, 8), x.slice(8, 12), x.slice(12, 16), x.slice(16, 20), x.slice(20)].join("-");
};

// Whoever fills in a line of choices means that line.
document.addEventListener("input", e => {
  const one = e.target.closest(".choice")?.querySelector("[type=radio]");
  if (one) one.checked = true;
});
