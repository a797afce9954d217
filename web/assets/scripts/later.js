// Forms that can wait for a signal: what was collected, turned, tilted or pulled in the shed. They count at
// once on the page, stand in a list of what waits, and go out by themselves.
(() => {
  const page = () => document.getElementById("page");
  const main = () => document.getElementById("main");
  // The pages that open without a signal.
  const daily = () => ["/", "/eggs"].includes(location.pathname);

  // With the button that was tapped, where it says something itself.
  const fields = (form, tapped) =>
    new URLSearchParams(new FormData(form, tapped?.form === form && tapped.name ? tapped : null));
  const same = (form, row) => {
    if (new URL(form.action).pathname !== row.to) return false;
    const [a, b] = [fields(form), new URLSearchParams(row.form)];
    a.delete("key");
    b.delete("key");
    return a.toString() === b.toString();
  };
  const label = form => {
    const eggs = form.querySelector("[name=eggs]");
    if (eggs) {
      const pen = form.querySelector("[name=pen]:checked")?.closest("label")?.innerText.trim().split("\n")[0];
      return `${eggs.value} eggs${pen ? ` from ${pen}` : ""}`;
    }
    if (form.dataset.label) return form.dataset.label;
    const row = form.closest("li")?.querySelector("div")?.innerText.trim().split("\n")[0];
    return row || form.querySelector("button")?.innerText.trim() || "Something";
  };

  const bar = (id, text) => {
    document.getElementById(id)?.remove();
    if (!text || !main()) return null;
    const box = document.createElement("div");
    box.id = id;
    box.className = "aside-bar";
    box.setAttribute("role", "status");
    const p = document.createElement("p");
    p.textContent = text;
    box.append(p);
    main().prepend(box);
    return box;
  };
  const show = async () => {
    if (!outbox.who()) return;
    const rows = await outbox.forms();
    const box = bar(
      "waits",
      rows.length === 0
        ? ""
        : rows.length === 1
          ? "One thing waits on this device and goes out by itself:"
          : `${rows.length} things wait on this device and go out by themselves:`,
    );
    if (box) {
      const list = document.createElement("ul");
      for (const row of rows) {
        const li = document.createElement("li");
        const at = new Date(row.op.at);
        li.textContent = `${row.op.kind}, ${at.toLocaleTimeString([], {hour: "numeric", minute: "2-digit"})}`;
        list.append(li);
      }
      box.append(list);
    }
    for (const form of document.querySelectorAll("form[data-later]"))
      if (rows.some(r => same(form, r))) form.closest("li")?.classList.add("waits");
    if (page()?.dataset.stale)
      bar("stale", `No connection. This page is as of ${page().dataset.asOf}; what you do here is kept.`);
    const refused = document.getElementById("later-refused");
    if (refused) refused.hidden = refused.querySelector("li") === null;
  };

  // A form that is sent once an egg: the next one comes into the hand.
  const again = form => {
    form.querySelector("[name=key]").value = newKey();
    for (const box of form.querySelectorAll("[type=checkbox]")) box.checked = false;
    const one = form.querySelector("[type=radio]:checked");
    if (!one) return;
    one.disabled = true;
    one.checked = false;
    one.closest("label").classList.add("waits");
    const next = form.querySelector("[type=radio]:not(:disabled)");
    if (next) next.checked = true;
    for (const button of form.querySelectorAll("button")) button.disabled = !next;
  };

  // kept by away.js, where nothing answered
  document.addEventListener("later:keep", async e => {
    const form = e.target;
    await outbox.putForm(new URL(form.action).pathname, fields(form, e.detail).toString(), label(form));
    if (form.id === "collect-form") {
      form.querySelector("[name=eggs]").value = "";
      form.querySelector("[name=key]").value = newKey();
    }
    if (form.dataset.again !== undefined) again(form);
    form.closest("li")?.classList.add("waits");
    show();
  });
  document.addEventListener("outbox:form", e => {
    show();
    if (e.detail.done && daily() && !document.querySelector("form:focus-within")) {
      // the page as it is now, once everything is out
      outbox.forms().then(left => {
        if (left.length === 0 && page()?.dataset.stale) location.reload();
      });
    }
  });

  // due tells that a page was not kept for so many seconds: each time costs the server a page. It counts as
  // kept once it is, since whoever goes on stops what was on its way.
  const name = path => `kept ${outbox.who()} ${path}`;
  const kept = path => sessionStorage.setItem(name(path), Date.now());
  const due = (path, seconds) =>
    Date.now() - Number(sessionStorage.getItem(name(path))) >= seconds * 1000;
  let keeping = false;
  const keep = async paths => {
    if (keeping || !navigator.serviceWorker) return;
    keeping = true;
    await navigator.serviceWorker.ready;
    await outbox.also(paths, kept);
    keeping = false;
  };
  const begin = () => {
    if (!outbox.who()) return;
    if (daily() && !page().dataset.stale) {
      const here = location.pathname;
      if (due(here, 20)) outbox.keep(main(), () => kept(here));
      else main().dataset.kept = "yes"; // a moment ago
      const benches = [...document.querySelectorAll('a[href$="/candle"]')].map(a => a.getAttribute("href"));
      const others = ["/", "/eggs"].filter(p => p !== location.pathname);
      const rest = [...others, ...benches].filter(p => due(p, 600));
      const shed = (document.getElementById("shed")?.dataset.paths ?? "").split(" ");
      rest.push(...shed.filter(p => p && due(p, 3600)));
      keep(rest);
    }
    outbox.refused();
    outbox.flush();
    show();
  };
  addEventListener("load", begin);
  document.addEventListener("htmx:after:swap", begin);
})();
