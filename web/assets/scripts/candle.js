// The candling bench: egg after egg, one tap a call.
(() => {
  const el = id => document.getElementById(id);
  const begin = () => {
    const bench = el("bench");
    if (!bench || bench.dataset.begun) return;
    bench.dataset.begun = "yes";
    const dots = [...bench.querySelectorAll("button.dot")];
    const done = []; // what take back takes back
    let now = Math.max(
      0,
      dots.findIndex(d => !d.dataset.call),
    );
    const calls = JSON.parse(bench.dataset.calls); // id, key and glyph of each
    const glyph = Object.fromEntries(calls.map(c => [c.id, c.glyph]));

    // Each call goes to the egg's own batch: in one sitting there may be several.
    const put = (batch, op, mark) => outbox.put(`/batches/${batch}/calls`, op, mark);
    const batches = all => [...new Set(all.map(d => d.dataset.batch))];
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
      for (const part of bench.querySelectorAll("[data-of]"))
        part.hidden = part.dataset.of !== d.dataset.batch;
      el("now-code").textContent = d.dataset.mark;
      el("now-says").textContent = [
        d.dataset.code,
        d.dataset.pen,
        d.dataset.spot,
        d.dataset.cell,
        `laid ${d.dataset.laid}`,
        `egg ${now + 1} of ${dots.length}`,
        d.dataset.call ? `called ${d.dataset.call}` : d.dataset.lived && `live on ${d.dataset.lived}`,
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
        for (const [batch, key] of last.keys)
          put(batch, {kind: "take-back", of: key}, last.before[0][0].dataset.mark);
        return;
      }
      if (what === "rest" && hit) {
        const rest = dots.filter(d => !d.dataset.call);
        if (rest.length === 0) return;
        done.push({
          before: rest.map(d => [d, ""]),
          keys: batches(rest).map(b => [b, put(b, {kind: "rest"}, "the rest")]),
        });
        for (const d of rest) mark(d, "live");
        return next();
      }
      const dot = dots[now];
      if (!dot) return;
      if (what === "clear" && dot.dataset.lived && asked?.dot !== dot) {
        asked = {dot, at: Date.now()};
        el("now-says").textContent =
          `${dot.dataset.mark} was called live on ${dot.dataset.lived}: really clear? Clear again says yes.`;
        return;
      }
      if (asked?.dot === dot && what === "clear" && Date.now() - asked.at < 700) return; // the same tap still
      const sure = asked?.dot === dot && what === "clear";
      asked = null;
      const out = hit.dataset.out && el("take-out").checked;
      done.push({
        before: [[dot, dot.dataset.call]],
        keys: [
          [
            dot.dataset.batch,
            put(
              dot.dataset.batch,
              {kind: "call", egg: Number(dot.dataset.egg), call: what, take_out: Boolean(out), sure},
              dot.dataset.mark,
            ),
          ],
        ],
      });
      mark(dot, what);
      next();
      cells(what === "unseen" ? dot : null);
    };
    // Of a live egg that is called clear it is asked once.
    let asked = null;
    // Of a dark shell the air cell is noted: the one just called stays in hand.
    let inHand = null;
    const cells = dot => {
      let drawn = false;
      for (const all of bench.querySelectorAll("[data-cells]")) {
        all.hidden = !dot || all.dataset.cells !== dot.dataset.batch;
        drawn ||= !all.hidden;
      }
      el("cells-of").hidden = !drawn;
      if (!drawn) dot = null;
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
      const {batch, mark: code} = inHand.dataset;
      done.push({before: [[inHand, inHand.dataset.call]], keys: [[batch, put(batch, op, code)]]});
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
        cell(bench.querySelectorAll("[data-cells]:not([hidden]) [data-loss]")[e.key - 1]);
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
    for (const away of bench.querySelectorAll(".bench-head a"))
      away.addEventListener("click", () => {
        const seconds = Math.floor((Date.now() - began) / 1000);
        for (const b of batches(dots).slice(0, 1)) put(b, {kind: "end", seconds});
      });
    // What waits on this device counts here too, when the page is opened again before it went out.
    const redraw = async () => {
      for (const batch of batches(dots))
        for (const op of await outbox.waiting(`/batches/${batch}/calls`)) {
          if (done.some(d => d.keys[0][1] === op.key)) continue; // called a moment ago
          const back = done.findIndex(d => d.keys[0][1] === op.of);
          if (back >= 0) for (const [dot, call] of done.splice(back, 1)[0].before) mark(dot, call);
          const hit = dots.filter(d =>
            op.kind === "rest" ? d.dataset.batch === batch && !d.dataset.call : d.dataset.egg === String(op.egg),
          );
          if (!["call", "rest"].includes(op.kind) || hit.length === 0) continue;
          done.push({before: hit.map(d => [d, d.dataset.call]), keys: [[batch, op.key]]});
          for (const dot of hit) mark(dot, op.call ?? "live");
        }
      if (dots[now]?.dataset.call) next();
    };
    for (const d of dots) if (d.dataset.call) d.textContent = glyph[d.dataset.call];
    if (dots.length > 0) show(now);
    redraw();
    outbox.refused();
    outbox.flush();
    outbox.keep(bench);
  };

  begin();
  document.addEventListener("htmx:after:swap", begin);
  document.addEventListener("outbox:done", e => {
    if (e.detail.op.kind === "cell" && el("cells-of")) el("cells-of").textContent = e.detail.says;
  });
})();
