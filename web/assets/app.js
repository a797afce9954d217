// Small helps for keys and thumbs. Every page works without them.
(() => {
  const typing = (t) => t.closest("input:not([type=checkbox]), select, textarea") !== null;

  document.addEventListener("keydown", (e) => {
    if (e.altKey || e.ctrlKey || e.metaKey) return;
    // No letter belongs into a number, so U takes back from there as well.
    if (e.key.toLowerCase() === "u" && (!typing(e.target) || e.target.inputMode === "numeric")) {
      const back = document.querySelector(".toast form button");
      if (back) {
        e.preventDefault();
        back.click();
      }
      return;
    }
    if (typing(e.target)) return;
    const link = document.querySelector(`a[data-key="${CSS.escape(e.key)}"]`);
    if (link) {
      e.preventDefault();
      link.click();
    }
  });

  // The set page: fill all lots, none, or the oldest up to a number.
  const lots = () => [...document.querySelectorAll("#set-form [data-most]")];
  const told = () => document.getElementById("set-form").dispatchEvent(new Event("change", { bubbles: true }));
  document.addEventListener("click", (e) => {
    const take = e.target.closest("button[data-take]")?.dataset.take;
    if (!take) return;
    for (const lot of lots()) lot.value = take === "all" ? lot.dataset.most : "";
    told();
  });
  document.addEventListener("input", (e) => {
    if (!e.target.matches('input[data-take="oldest"]')) return;
    let left = parseInt(e.target.value, 10) || 0;
    const age = (lot) => Number(lot.closest("[data-age]").dataset.age);
    for (const lot of lots().sort((a, b) => age(b) - age(a))) {
      const n = Math.min(left, Number(lot.dataset.most));
      lot.value = n || "";
      left -= n;
    }
  });

  // The first set-up offers the zone of this device.
  const zone = document.querySelector("input[data-zone]");
  if (zone) zone.value = Intl.DateTimeFormat().resolvedOptions().timeZone || zone.value;

  // After an exchange the focus is where it was, or where typing begins.
  let was = "";
  const sign = (e) => [e.tagName, e.name, e.type === "checkbox" ? "" : e.value, e.getAttribute("href"), e.textContent.trim()].join("|");
  document.addEventListener("htmx:before:swap", () => {
    const e = document.activeElement;
    was = e && e.matches("button, a, select") ? sign(e) : "";
  });
  document.addEventListener("htmx:after:swap", () => {
    const begins = document.querySelector("#page [autofocus]");
    const same = was && [...document.querySelectorAll("#page button, #page a, #page select")].find((e) => sign(e) === was);
    if (begins) begins.focus();
    else if (same) same.focus({ preventScroll: true });
    else if (document.activeElement === document.body) document.getElementById("main")?.focus({ preventScroll: true });
    document.querySelector(".more details[open]")?.removeAttribute("open");
  });
})();
