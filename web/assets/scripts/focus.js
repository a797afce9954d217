// After an exchange the focus is where it was, or where typing begins; what is wrong with a form that came back is
// seen.
(() => {
  const wrong = () => {
    const all = [...document.querySelectorAll("#main .problems")];
    const fresh = all.find(e => !e.dataset.seen && !e.closest("[aria-live]"));
    if (!fresh) return false;
    fresh.dataset.seen = "yes";
    fresh.scrollIntoView({block: "center"});
    fresh.focus({preventScroll: true});
    return true;
  };
  addEventListener("DOMContentLoaded", wrong);
  let was = "";
  const sign = e =>
    [
      e.tagName,
      e.name,
      e.type === "checkbox" ? "" : e.value,
      e.getAttribute("href"),
      e.textContent.trim(),
    ].join("|");
  document.addEventListener("htmx:before:swap", () => {
    const e = document.activeElement;
    was = e && e.matches("button, a, select") ? sign(e) : "";
  });
  document.addEventListener("htmx:after:swap", () => {
    const begins = document.querySelector("#page [autofocus]");
    const same =
      was &&
      [...document.querySelectorAll("#page button, #page a, #page select")].find(
        e => sign(e) === was,
      );
    // On a phone a focus would push the keyboard over the page.
    if (wrong()) return;
    if (begins && matchMedia("(pointer: fine)").matches) begins.focus();
    else if (same) same.focus({preventScroll: true});
    else if (document.activeElement === document.body)
      document.getElementById("main")?.focus({preventScroll: true});
    document.querySelector(".more details[open]")?.removeAttribute("open");
  });
})();
