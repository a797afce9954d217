// The set page: fill all lots, none, or the oldest up to a number.
(() => {
  const lots = () => [
    ...document.querySelectorAll("#set-form .lot:not([data-trial]) [data-most]"),
  ];
  const told = () =>
    document.getElementById("set-form").dispatchEvent(new Event("change", {bubbles: true}));
  document.addEventListener("click", e => {
    const take = e.target.closest("button[data-take]")?.dataset.take;
    if (!take) return;
    for (const lot of lots()) lot.value = take === "all" ? lot.dataset.most : "";
    told();
  });
  // A tap takes a day's eggs, or leaves them; held, it shows them one by one.
  let held = 0;
  document.addEventListener("pointerdown", e => {
    const egg = e.target.closest(".lot-egg:not([readonly])");
    if (!egg) return;
    const finger = e.pointerType !== "mouse";
    if (finger) egg.inputMode = "none"; // no keyboard over the page
    held = setTimeout(() => {
      held = 0;
      egg.closest(".lot").querySelector(".one-by-one").click();
    }, 550);
    egg.addEventListener(
      "click",
      () => {
        if (!held) return;
        clearTimeout(held);
        egg.value = egg.value ? "" : egg.dataset.most;
        egg.select();
        told();
      },
      {once: true},
    );
  });
  for (const off of ["pointercancel", "pointerup"])
    document.addEventListener(off, () => setTimeout(() => clearTimeout(held), 0));
  document.addEventListener("contextmenu", e => {
    if (e.target.closest(".lot-egg")) e.preventDefault();
  });
  // What is wished for counts as soon as it is typed.
  document.addEventListener("change", e => {
    const wish = e.target.closest("#set-form .wish");
    if (wish?.querySelector("[name=young]").value) wish.querySelector("[name=propose]").click();
  });
  document.addEventListener("input", e => {
    if (!e.target.matches('input[data-take="oldest"]')) return;
    let left = parseInt(e.target.value, 10) || 0;
    const age = lot => Number(lot.closest("[data-age]").dataset.age);
    // eggs past the day at which most stop are not among them
    const good = lots().filter(lot => lot.closest(".lot:not(.stale, .late)"));
    for (const lot of lots()) lot.value = "";
    for (const lot of good.sort((a, b) => age(b) - age(a))) {
      const n = Math.min(left, Number(lot.dataset.most));
      lot.value = n || "";
      left -= n;
    }
  });
})();
