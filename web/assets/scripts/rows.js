// Rows stay where they are. What is done by one tap in a list leaves its row there, grey, with the hour and a way to
// take it back, until the page is opened anew: nothing moves under a thumb.
(() => {
  const rowOf = form => form?.closest?.("main li, main tr");
  // keyOf tells a row from the others, by what can be done in it.
  const keyOf = row => {
    if (row.dataset.row) return row.dataset.row;
    const forms = [...row.querySelectorAll("form.act")].map(f => {
      const rest = [...f.querySelectorAll("input[type=hidden]")].filter(i => i.name !== "key");
      return f.getAttribute("action") + "?" + rest.map(i => `${i.name}=${i.value}`).join("&");
    });
    return forms.join("|");
  };
  const rows = root => {
    const all = new Map();
    for (const row of root.querySelectorAll("#main li, #main tr"))
      if (row.querySelector("form.act") || row.dataset.row) all.set(keyOf(row), row);
    return all;
  };

  // done leaves a row as high as it is: the hour stands where its reason was, the way back where it was tapped.
  const done = (row, key, toast) => {
    row.style.height = `${row.offsetHeight}px`;
    row.dataset.row = key;
    row.classList.add("done-row");
    const says = row.querySelector(".reason-line");
    if (says) says.textContent = `Done, ${toast?.dataset.at ?? ""}`;
    const acts = row.querySelector(".taps") ?? row.querySelector("form.act")?.parentElement ?? row;
    for (const one of row.querySelectorAll("form.act, .taps > a")) one.remove();
    const back = toast?.querySelector("form[action='/undo']")?.cloneNode(true);
    if (back) {
      back.classList.add("act");
      back.querySelector("kbd")?.remove();
      acts.append(back);
      htmx.process(back);
    }
  };

  document.addEventListener("htmx:before:swap", e => {
    const {ctx} = e.detail;
    const form = ctx.sourceElement;
    const row = form?.matches?.("form.act") && rowOf(form);
    const from = ctx.response?.raw?.url;
    if (!row || !from || new URL(from).pathname !== location.pathname) return;
    const fresh = new DOMParser().parseFromString(ctx.text, "text/html");
    if (!fresh.getElementById("main")) return;
    e.preventDefault();
    const key = keyOf(row);
    const there = rows(fresh);
    for (const [k, old] of rows(document)) {
      const now = there.get(k);
      if (now && (old === row || old.classList.contains("done-row"))) {
        const put = document.importNode(now, true);
        old.replaceWith(put);
        htmx.process(put);
      } else if (!now && old === row) done(row, key, fresh.querySelector(".toast"));
    }
    for (const part of document.querySelectorAll("#main [data-live][id]")) {
      const now = fresh.getElementById(part.id);
      if (now) part.innerHTML = now.innerHTML;
    }
    const strip = document.getElementById("strip"), said = fresh.getElementById("strip");
    if (strip && said) {
      const put = document.importNode(said, true);
      strip.replaceWith(put);
      htmx.process(put);
    }
  });
})();
