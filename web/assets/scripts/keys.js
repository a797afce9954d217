// Keys of the keyboard: a digit for each page, U for taking back.
(() => {
  const typing = t => t.closest("input:not([type=checkbox]), select, textarea") !== null;

  document.addEventListener("keydown", e => {
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
    if (e.key === "/") {
      const box = document.querySelector("main .find-form input") ?? document.querySelector(".find-box input");
      if (box) {
        e.preventDefault();
        box.focus();
        box.select();
      }
      return;
    }
    const link = document.querySelector(`a[data-key="${CSS.escape(e.key)}"]`);
    if (link) {
      e.preventDefault();
      link.click();
    }
  });
})();
