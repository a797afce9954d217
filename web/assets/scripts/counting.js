// Counting by thumb: + and − beside a number.
(() => {
  document.documentElement.classList.add("js");
  document.addEventListener("click", e => {
    const step = e.target.closest("button[data-step]");
    if (!step) return;
    const field = step.parentElement.querySelector("input");
    const n = Math.max(0, (parseInt(field.value, 10) || 0) + Number(step.dataset.step));
    field.value = n || "";
    field.dispatchEvent(new Event("change", {bubbles: true}));
  });
})();
