// The candling bench. A call counts at once on the page; it waits in this
// browser's own store (IndexedDB) until the server has it, so that a cellar
// without a signal loses nothing. Each op has a key, and the server does it once
// however often it is sent.
(() => {
  const open = () =>
    new Promise((yes, no) => {
      const r = indexedDB.open("metrogon-bench", 1);
      r.onupgradeneeded = () => {
        r.result.createObjectStore("ops", {keyPath: "id", autoIncrement: true});
        r.result.createObjectStore("refused", {keyPath: "id", autoIncrement: true});
      };
      r.onsuccess = () => yes(r.result);
      r.onerror = () => no(r.error);
    });
  const db = open();
  const ask = async (store, mode, work) => {
    const tx = (await db).transaction(store, mode);
    const request = work(tx.objectStore(store));
    return new Promise((yes, no) => {
      tx.oncomplete = () => yes(request?.result);
      tx.onerror = tx.onabort = () => no(tx.error);
    });
  };
  const el = id => document.getElementById(id);
  // Whose page this is: what waits belongs to a person on a farm, and to nobody
  // else who signs in on the same device.
  const who = () => document.getElementById("page")?.dataset.who;
  const mine = async store =>
    (await ask(store, "readonly", s => s.getAll())).filter(r => r.who === who());

  // Ops go out in the order in which they were made, by one sender at a time.
  let sending = false;
  let again = 0;
  let made = 0; // ops since the page was opened
  let unstored = 0; // of them, on their way into the store
  const line = async why => {
    const [before, coming] = [made, unstored];
    const waiting = (await mine("ops")).length + coming;
    const status = el("line");
    if (!status || made !== before) return; // what was made meanwhile has its own line to come
    status.textContent =
      waiting === 0
        ? "All is kept."
        : `${why ?? "Sending"}: ` +
          (waiting === 1
            ? "1 call waits on this device and goes out by itself."
            : `${waiting} calls wait on this device and go out by themselves.`);
    status.dataset.waiting = waiting;
  };
  const flush = async () => {
    if (sending || !who()) return;
    sending = true;
    const whose = who();
    clearTimeout(again);
    let why;
    try {
      for (;;) {
        const rows = (await mine("ops")).slice(0, 50);
        if (rows.length === 0) break;
        const together = rows.filter(r => r.batch === rows[0].batch);
        const answer = await fetch(`/batches/${rows[0].batch}/calls`, {
          method: "POST",
          body: JSON.stringify(together.map(r => r.op)),
          headers: {"Content-Type": "application/json", "X-Who": whose},
          redirect: "manual",
        });
        if (answer.type === "opaqueredirect" || answer.status === 403)
          throw new Error("Sign in again");
        if (!answer.ok) throw new Error("The server does not answer");
        const told = new Map((await answer.json()).map(d => [d.key, d]));
        for (const row of together) {
          const d = told.get(row.op.key);
          if (!d) continue;
          if (d.done && row.op.kind === "cell" && el("cells-of"))
            el("cells-of").textContent = d.says;
          if (!d.done)
            await ask("refused", "readwrite", s =>
              s.add({who: whose, batch: row.batch, op: row.op, mark: row.mark, says: d.says}),
            );
          await ask("ops", "readwrite", s => s.delete(row.id));
        }
        if (told.size === 0) throw new Error("The server does not answer");
        await refused();
      }
    } catch (e) {
      why = e instanceof TypeError ? "Offline" : e.message;
      again = setTimeout(flush, 3000);
    }
    sending = false;
    await line(why);
    if (why === undefined && (await mine("ops")).length > 0) flush();
  };
  // What could not be done stays in sight until it is put aside by hand.
  const refused = async () => {
    const list = el("refused");
    if (!list) return;
    const rows = await mine("refused");
    list.replaceChildren(
      ...rows.map(r => {
        const li = document.createElement("li");
        li.textContent = `${r.mark ?? ""} ${r.op.call ?? r.op.kind}: ${r.says} `;
        const b = document.createElement("button");
        b.type = "button";
        b.className = "one-by-one";
        b.textContent = "seen";
        b.onclick = async () => {
          await ask("refused", "readwrite", s => s.delete(r.id));
          refused();
        };
        li.append(b);
        return li;
      }),
    );
  };

  const begin = () => {
    const bench = el("bench");
    if (!bench || bench.dataset.begun) return;
    bench.dataset.begun = "yes";
    const batch = Number(bench.dataset.batch);
    const dots = [...bench.querySelectorAll(".dot")];
    const done = []; // what take back takes back
    let now = Math.max(
      0,
      dots.findIndex(d => !d.dataset.call),
    );
    const calls = JSON.parse(bench.dataset.calls); // id, key and glyph of each
    const glyph = Object.fromEntries(calls.map(c => [c.id, c.glyph]));

    let tail = Promise.resolve(); // ops are kept in the order in which they were made
    const put = (op, mark) => {
      op.key = newKey();
      op.at = new Date().toISOString();
      el("line").dataset.waiting = "some";
      made++;
      unstored++;
      tail = tail
        .then(() =>
          ask("ops", "readwrite", s =>
            s.add({who: bench.closest("[data-who]").dataset.who, batch, op, mark}),
          ),
        )
        .finally(() => unstored--)
        .then(() => void flush());
      return op.key;
    };
    const mark = (dot, call) => {
      dot.className = `dot ${call}`;
      dot.dataset.call = call;
      dot.textContent = glyph[call] ?? "";
      dot.setAttribute("aria-label", dot.dataset.mark + (call ? `, called ${call}` : ""));
    };
    const show = i => {
      dots[now]?.classList.remove("now");
      now = i;
      const d = dots[now];
      if (!d) return;
      d.classList.add("now");
      d.scrollIntoView({block: "nearest"});
      el("now-code").textContent = d.dataset.mark;
      el("now-says").textContent = [
        d.dataset.pen,
        d.dataset.spot,
        d.dataset.cell,
        `laid ${d.dataset.laid}`,
        `egg ${now + 1} of ${dots.length}`,
        d.dataset.call && `called ${d.dataset.call}`,
      ]
        .filter(Boolean)
        .join(" · ");
      const tally = {};
      for (const x of dots)
        if (x.dataset.call) tally[x.dataset.call] = (tally[x.dataset.call] ?? 0) + 1;
      el("tally").textContent =
        Object.entries(tally)
          .map(([c, n]) => `${n} ${c}`)
          .join(" · ") || "None called yet.";
    };
    const next = () => {
      const after = [...dots.keys()].map(i => (now + 1 + i) % dots.length);
      const i = after.find(i => !dots[i].dataset.call);
      if (i === undefined) {
        show(now);
        el("now-says").textContent = "Every egg is called.";
      } else show(i);
    };
    const act = what => {
      const hit = bench.querySelector(`[data-do="${what}"]`);
      hit?.classList.add("hit");
      setTimeout(() => hit?.classList.remove("hit"), 150);
      if (what === "take-back") {
        const last = done.pop();
        if (!last) return;
        for (const [dot, call] of last.before) mark(dot, call);
        show(dots.indexOf(last.before[0][0]));
        return put({kind: "take-back", of: last.key}, last.before[0][0].dataset.mark);
      }
      if (what === "rest") {
        const rest = dots.filter(d => !d.dataset.call);
        if (rest.length === 0) return;
        done.push({before: rest.map(d => [d, ""]), key: put({kind: "rest"}, "the rest")});
        for (const d of rest) mark(d, "live");
        return next();
      }
      const dot = dots[now];
      if (!dot) return;
      const out = hit.dataset.out && el("take-out").checked;
      done.push({
        before: [[dot, dot.dataset.call]],
        key: put(
          {kind: "call", egg: Number(dot.dataset.egg), call: what, take_out: Boolean(out)},
          dot.dataset.mark,
        ),
      });
      mark(dot, what);
      next();
      cells(what === "unseen" ? dot : null);
    };
    // Of a dark shell the air cell is noted: the one just called stays in hand.
    let inHand = null;
    const cells = dot => {
      if (!el("cells")) return;
      el("cells").hidden = !dot;
      inHand = dot;
      if (dot)
        el("cells-of").textContent = `${dot.dataset.mark}: how far down does the air cell reach?`;
    };
    const cell = button => {
      if (!inHand || !button) return;
      const op = {
        kind: "cell",
        egg: Number(inHand.dataset.egg),
        loss_pct: Number(button.dataset.loss),
      };
      done.push({before: [[inHand, inHand.dataset.call]], key: put(op, inHand.dataset.mark)});
      el("cells-of").textContent = `${inHand.dataset.mark}: noted.`;
      inHand = null;
    };

    bench.addEventListener("click", e => {
      const button = e.target.closest("[data-do]");
      if (button) return act(button.dataset.do);
      const drawn = e.target.closest("[data-loss]");
      if (drawn) return cell(drawn);
      const dot = e.target.closest(".dot");
      if (dot) show(dots.indexOf(dot));
    });
    const keys = {a: "rest", Backspace: "take-back"};
    for (const c of calls) keys[c.key.toLowerCase()] = c.id;
    bench.ownerDocument.addEventListener("keydown", e => {
      if (
        !bench.isConnected ||
        e.ctrlKey ||
        e.metaKey ||
        e.altKey ||
        e.target.closest?.("input:not([type=checkbox])")
      )
        return;
      const what = keys[e.key] ?? keys[e.key.toLowerCase()];
      if (what) act(what);
      else if (inHand && /^[1-9]$/.test(e.key))
        cell(bench.querySelectorAll("[data-loss]")[e.key - 1]);
      else if (e.key.toLowerCase() === "f") el("find-code").focus();
      else if (e.key === "ArrowRight") show(Math.min(now + 1, dots.length - 1));
      else if (e.key === "ArrowLeft") show(Math.max(now - 1, 0));
      else return;
      e.preventDefault();
    });
    el("find").addEventListener("submit", e => {
      e.preventDefault();
      e.stopPropagation();
      const typed = el("find-code").value.trim().toUpperCase();
      const i = dots.findIndex(d => d.dataset.mark === typed || d.dataset.no === typed);
      el("find-code").value = "";
      el("find-code").blur();
      if (i >= 0) show(i);
      else el("now-says").textContent = `No egg here has the code ${typed}.`;
    });
    const began = Date.now();
    const clock = setInterval(() => {
      if (!bench.isConnected) return clearInterval(clock);
      const s = Math.floor((Date.now() - began) / 1000);
      el("lid").textContent =
        `${Math.floor(s / 60)} min ${String(s % 60).padStart(2, "0")} s${s >= 1200 ? ": shut it soon, eggs cool" : ""}`;
    }, 1000);
    bench
      .querySelector("a")
      .addEventListener("click", () =>
        put({kind: "end", seconds: Math.floor((Date.now() - began) / 1000)}),
      );
    for (const d of dots) if (d.dataset.call) d.textContent = glyph[d.dataset.call];
    if (dots.length > 0) show(now);
    refused();
    flush();
  };

  begin();
  document.addEventListener("htmx:after:swap", begin);
  addEventListener("online", flush);
  if (el("bench") && navigator.serviceWorker) {
    navigator.serviceWorker.register("/sw.js");
    navigator.serviceWorker.ready.then(async () => {
      const kept = await caches.open(`metrogon-bench ${who()}`);
      await (await caches.open("metrogon-who")).put("/who", new Response(who()));
      const dress = [
        ...document.querySelectorAll("link[rel=stylesheet], link[rel=preload], script[src]"),
      ].map(e => e.href || e.src);
      await kept.addAll([
        location.pathname,
        ...dress.map(u => new URL(u).pathname + new URL(u).search),
      ]);
      el("bench").dataset.kept = "yes"; // it opens without a signal from now on
    });
  }
  // Who signs out leaves no pages behind, and is told what waits.
  const leave = async (form, send) => {
    if (send) {
      await flush();
      const left = (await mine("ops")).length;
      if (left > 0) return tell(form, left, "They could not be sent just now.");
    }
    await caches?.delete(`metrogon-bench ${who()}`);
    await caches?.delete("metrogon-who");
    form.dataset.may = "yes";
    form.requestSubmit();
  };
  const tell = (form, n, why = "") => {
    form.querySelector(".waiting")?.remove();
    const box = document.createElement("div");
    box.className = "waiting";
    box.setAttribute("role", "alert");
    const says = document.createElement("p");
    says.textContent =
      `${why} ${n === 1 ? "1 call waits" : `${n} calls wait`} on this device.`.trim();
    const button = (label, send) => {
      const b = document.createElement("button");
      b.type = "button";
      b.className = "button is-small";
      b.textContent = label;
      b.onclick = () => leave(form, send);
      return b;
    };
    box.append(
      says,
      button("Send and sign out", true),
      button("Keep them here for me, and sign out", false),
    );
    form.append(box);
    box.querySelector("button").focus();
  };
  document.addEventListener(
    "submit",
    e => {
      if (
        !/^\/(sign-out|settings\/sign-out-everywhere)$/.test(e.target.getAttribute("action") ?? "")
      )
        return;
      if (e.target.dataset.may) return;
      e.preventDefault();
      e.stopImmediatePropagation();
      mine("ops").then(rows =>
        rows.length > 0 ? tell(e.target, rows.length) : leave(e.target, false),
      );
    },
    true,
  );
})();
