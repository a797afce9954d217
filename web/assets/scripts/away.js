// When the database or the network is away the page stays, with all that was typed.
// What was sent goes out again by one tap, under the same key: it is done once.
(() => {
  const said = {
    503: "The database does not answer just now. Nothing was lost, and what you typed is still here.",
    0: "There is no connection just now. Nothing was lost, and what you typed is still here.",
  };
  const failed = (ctx, status) => {
    const from = ctx?.sourceElement;
    if (!from?.isConnected) return;
    const form = from.closest("form");
    if (status === 0 && form?.dataset.later !== undefined) {
      form.dispatchEvent(
        new CustomEvent("later:keep", {bubbles: true, detail: ctx.sourceEvent?.submitter}),
      );
      return;
    }
    document.querySelectorAll(".away").forEach(p => p.remove());
    const box = document.createElement("div");
    box.className = "away problems";
    box.setAttribute("role", "alert");
    const p = document.createElement("p");
    p.textContent =
      said[status] ??
      "Something went wrong on our side and was written down. What you typed is still here.";
    const again = document.createElement("button");
    again.type = "button";
    again.className = "button is-small";
    again.textContent = form ? "Send again" : "Try again";
    const submitter = ctx.sourceEvent?.submitter;
    again.onclick = () => {
      box.remove();
      if (form) form.requestSubmit(submitter?.form === form ? submitter : undefined);
      else from.click();
    };
    box.append(p, again);
    (form ?? document.getElementById("main"))[form ? "append" : "prepend"](box);
    again.focus({preventScroll: Boolean(form)});
  };
  document.addEventListener("htmx:response:error", e => {
    const status = e.detail.ctx?.response?.raw?.status ?? 0;
    if (status >= 500) failed(e.detail.ctx, status);
  });
  document.addEventListener("htmx:error", e => e.detail.ctx && failed(e.detail.ctx, 0));
})();
