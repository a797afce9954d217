// The hatch watch: an egg or a basket is picked, then what is seen of it. The page hears at once
// what others do, and asks every few seconds where it cannot hear.
(() => {
  const el = id => document.getElementById(id);
  const root = () => el("watch");
  const address = () => `/watch/${root().dataset.machine}/taps`;
  const eggs = () => [...root().querySelectorAll(".egg.picked")];
  const picked = new Set(); // ids of eggs
  let basket = ""; // batch, pen and trial of the basket picked
  const done = []; // what take back takes back: keys of one tap
  const nameOf = b => `${b.dataset.batch} ${b.dataset.pen} ${b.dataset.trial}`;
  const baskets = () => [...root().querySelectorAll(".hatch-basket")];
  const says = text => (el("watch-says").textContent = text);

  // show puts what is picked, and what is on its way, onto the page as the server sees it.
  const glyphs = {pip: ["pipped", "★"], zip: ["zipped", "◠"], out: ["gone", "✓"]};
  const mark = op => {
    const [state, glyph] = glyphs[op.kind] ?? [];
    const marked = (el("watch-live").marked ??= new Set()); // once on what the server sent last
    if (!state || marked.has(op.key)) return;
    marked.add(op.key);
    const egg = op.egg && root().querySelector(`.egg[data-egg="${op.egg}"]`);
    if (egg) {
      egg.classList.add(state, "sent");
      egg.querySelector("i").textContent = glyph;
    }
    const of = egg
      ? egg.closest(".hatch-basket")
      : baskets().find(b => nameOf(b) === `${op.batch} ${op.pen} ${op.trial}`);
    if (of && op.kind === "out" && (!egg || !egg.dataset.counted)) {
      if (egg) egg.dataset.counted = "yes";
      of.dataset.out = Number(of.dataset.out) + (op.n || 1);
      of.querySelector(".basket-out").textContent = of.dataset.out;
    }
  };
  const show = () => {
    for (const e of root().querySelectorAll(".egg")) {
      const is = picked.has(e.dataset.egg);
      e.classList.toggle("picked", is);
      e.setAttribute("aria-pressed", is);
    }
    for (const b of baskets()) {
      const is = nameOf(b) === basket;
      b.classList.toggle("picked", is);
      b.querySelector(".basket-head").setAttribute("aria-pressed", is);
    }
    if (el("watch-n-of")) el("watch-n-of").hidden = !basket;
  };
  const put = op => {
    op.ago = Number(el("watch-ago").value);
    const key = outbox.put(address(), op, op.mark);
    mark(op);
    return key;
  };
  const act = kind => {
    const hit = root().querySelector(`[data-do="${kind}"]`);
    hit?.classList.add("hit");
    setTimeout(() => hit?.classList.remove("hit"), 150);
    if (kind === "take-back") {
      const keys = done.pop();
      if (!keys) return says("Nothing of this page is left to be taken back.");
      for (const of of keys.reverse()) outbox.put(address(), {kind: "take-back", of}, "");
      return says("Taken back.");
    }
    if (kind === "look") {
      done.push(
        [...root().querySelectorAll(".watch-load[data-batch]")].map(l =>
          put({kind, batch: Number(l.dataset.batch)}),
        ),
      );
      return says("Looked, nothing new.");
    }
    const words = {pip: "pipped", zip: "zipped", out: "out"}[kind];
    const all = eggs();
    if (all.length > 0) {
      done.push(
        all.map(e =>
          put({
            kind,
            batch: Number(e.closest("[data-batch]").dataset.batch),
            egg: Number(e.dataset.egg),
            mark: e.dataset.mark,
          }),
        ),
      );
      says(`${all.map(e => e.dataset.mark).join(", ")}: ${words}.`);
      picked.clear();
      return show();
    }
    const of = baskets().find(b => nameOf(b) === basket);
    if (!of) return says("Tap an egg or a basket first.");
    const n = Number(el("watch-n").value);
    if (!(n >= 1 && n <= 500)) return says("How many? From 1.");
    done.push([
      put({
        kind,
        batch: Number(of.dataset.batch),
        pen: Number(of.dataset.pen),
        trial: of.dataset.trial === "true",
        n,
        mark: of.dataset.label,
      }),
    ]);
    says(`${of.dataset.label}: ${n} ${words}.`);
    el("watch-n").value = 1;
  };

  // part puts a part of the page, as the server sees it now, in place of what stands there.
  const part = async id => {
    try {
      const answer = await fetch(`${location.pathname}?live=yes`, {redirect: "manual"});
      if (answer.type === "opaqueredirect")
        return says("Sign in again. What you tap waits on this device.");
      if (!answer.ok) return;
      const page = new DOMParser().parseFromString(await answer.text(), "text/html");
      const fresh = page.querySelector(id);
      const old = document.querySelector(id);
      if (!fresh || !old) return;
      const at = old.contains(document.activeElement) && document.activeElement.dataset.egg;
      old.replaceWith(fresh);
      htmx.process(fresh);
      begin();
      if (at)
        (
          root().querySelector(`[data-egg="${at}"]`) ?? root().querySelector(".egg") // it is out
        )?.focus({preventScroll: true});
    } catch {
      // no signal: it is asked for again
    }
  };
  // The forms below go the same way as the keys; which of them is open stays so.
  const opened = [];
  const sent = {};
  const drawers = () => [...document.querySelectorAll("#watch-more > details")];
  const send = form => {
    const f = new FormData(form);
    const op = {kind: f.get("kind"), batch: Number(f.get("batch")), pen: Number(f.get("pen"))};
    op.trial = f.get("trial") === "true";
    op.n = Number(f.get("n"));
    op.minutes = Number(f.get("minutes"));
    op.why = f.get("why") ?? "";
    op.place = f.get("place") ?? "";
    op.told = {
      colour: f.get("colour") ?? "",
      sex: f.get("sex") ?? "",
      band: f.get("band") ?? "",
      weight_g: Number((f.get("weight") ?? "").replace(",", ".")) * Number(form.dataset.grams ?? 1),
      signs: f.getAll("signs"),
      died: f.has("died"),
    };
    const key = put(op);
    done.push([key]);
    sent[key] = form; // what was typed stays until it is kept
    document.activeElement?.blur();
    says("Noted.");
  };

  // The forms are not asked for anew under somebody's hands.
  const busy = () =>
    document.activeElement?.matches("#watch-more :is(input, select)") ||
    [...document.querySelectorAll("#watch-more .input")].some(i => i.value !== i.defaultValue);
  let waits = 0;
  const freshen = () => {
    clearTimeout(waits);
    if (!root()) return;
    if (busy()) waits = setTimeout(freshen, 1000);
    else part("#watch-more");
  };

  // refresh asks for the page anew, but not while something is on its way.
  let asking = 0;
  const refresh = () => {
    clearTimeout(asking);
    asking = setTimeout(
      async () => {
        if (!root()) return;
        if ((await outbox.waiting(address())).length > 0) return refresh();
        part("#watch-live");
      },
      100 + 200 * Math.random(),
    );
  };
  let line;
  const hear = () => {
    line?.close();
    line = new EventSource(`/watch/${root().dataset.machine}/live`);
    line.addEventListener("done", refresh);
    line.addEventListener("here", refresh);
  };
  // Every few seconds where the line is broken for good; every minute for the clocks.
  let ticks = 0;
  const tick = setInterval(() => {
    if (!root()) {
      line?.close();
      line = null;
      return;
    }
    ticks++;
    if (line?.readyState === EventSource.CLOSED) hear();
    if (line?.readyState !== EventSource.OPEN ? ticks % 2 === 0 : ticks % 24 === 0) refresh();
  }, 2500);
  void tick;

  const begin = async () => {
    if (!root()) return;
    drawers().forEach((d, i) => (d.open = opened[i] ?? d.open));
    show();
    if (!root().dataset.begun) listen();
    for (const op of await outbox.waiting(address())) if (root()) mark(op);
  };
  const listen = () => {
    root().dataset.begun = "yes";
    root().addEventListener("click", e => {
      const drawer = e.target.closest("#watch-more > details > summary")?.parentElement;
      if (drawer) opened[drawers().indexOf(drawer)] = !drawer.open;
      const key = e.target.closest("[data-do]");
      if (key) return act(key.dataset.do);
      const egg = e.target.closest(".egg");
      if (egg) {
        basket = "";
        if (!picked.delete(egg.dataset.egg)) picked.add(egg.dataset.egg);
        return show();
      }
      const head = e.target.closest(".basket-head");
      if (head) {
        picked.clear();
        const name = nameOf(head.closest(".hatch-basket"));
        basket = basket === name ? "" : name;
        show();
      }
    });
    root().addEventListener(
      "submit",
      e => {
        if (!e.target.matches(".tap-form")) return;
        e.preventDefault();
        e.stopPropagation();
        send(e.target);
      },
      true,
    );
    outbox.refused();
    outbox.flush();
    outbox.keep(root());
    hear();
  };
  const keys = {p: "pip", z: "zip", o: "out", n: "look", Backspace: "take-back"};
  document.addEventListener("keydown", e => {
    if (!root() || e.ctrlKey || e.metaKey || e.altKey || e.target.closest?.("input, select")) return;
    const what = keys[e.key] ?? keys[e.key.toLowerCase()];
    if (!what) return;
    e.preventDefault();
    act(what);
  });
  document.addEventListener("outbox:done", e => {
    const {kind, ago, key} = e.detail.op;
    sent[key]?.reset();
    delete sent[key];
    if (!root() || (kind !== "take-back" && ago === undefined)) return;
    refresh();
    freshen();
  });
  begin();
  document.addEventListener("htmx:after:swap", begin);
})();
