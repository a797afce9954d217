// The set page: fill all lots, none, or the oldest up to a number.
(() => {
  const lots = () => [
    ...document.querySelectorAll("#set-form label:not([data-trial]) [data-most]"),
  ];
  const told = () =>
    document.getElementById("set-form").dispatchEvent(new Event("change", {bubbles: true}));
  document.addEventListener("click", e => {
    const take = e.target.closest("button[data-take]")?.dataset.take;
    if (!take) return;
    for (const lot of lots()) lot.value = take === "all" ? lot.dataset.most : "";
    told();
  });
  document.addEventListener("input", e => {
    if (!e.target.matches('input[data-take="oldest"]')) return;
    let left = parseInt(e.target.value, 10) || 0;
    const age = lot => Number(lot.closest("[data-age]").dataset.age);
    for (const lot of lots().sort((a, b) => age(b) - age(a))) {
      const n = Math.min(left, Number(lot.dataset.most));
      lot.value = n || "";
      left -= n;
    }
  });
})();
