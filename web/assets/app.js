// Small helps for keys and thumbs. Every page works without them.
(() => {
  const typing = (t) => t.closest("input:not([type=checkbox]), select, textarea") !== null;

  document.addEventListener("keydown", (e) => {
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
    const link = document.querySelector(`a[data-key="${CSS.escape(e.key)}"]`);
    if (link) {
      e.preventDefault();
      link.click();
    }
  });

  // Counting by thumb: + and − beside a number.
  document.documentElement.classList.add("js");
  document.addEventListener("click", (e) => {
    const step = e.target.closest("button[data-step]");
    if (!step) return;
    const field = step.parentElement.querySelector("input");
    const n = Math.max(0, (parseInt(field.value, 10) || 0) + Number(step.dataset.step));
    field.value = n || "";
    field.dispatchEvent(new Event("change", { bubbles: true }));
  });

  // The set page: fill all lots, none, or the oldest up to a number.
  const lots = () => [...document.querySelectorAll("#set-form label:not([data-trial]) [data-most]")];
  const told = () => document.getElementById("set-form").dispatchEvent(new Event("change", { bubbles: true }));
  document.addEventListener("click", (e) => {
    const take = e.target.closest("button[data-take]")?.dataset.take;
    if (!take) return;
    for (const lot of lots()) lot.value = take === "all" ? lot.dataset.most : "";
    told();
  });
  document.addEventListener("input", (e) => {
    if (!e.target.matches('input[data-take="oldest"]')) return;
    let left = parseInt(e.target.value, 10) || 0;
    const age = (lot) => Number(lot.closest("[data-age]").dataset.age);
    for (const lot of lots().sort((a, b) => age(b) - age(a))) {
      const n = Math.min(left, Number(lot.dataset.most));
      lot.value = n || "";
      left -= n;
    }
  });

  // The first set-up offers the zone of this device.
  const zone = document.querySelector("input[data-zone]");
  if (zone) zone.value = Intl.DateTimeFormat().resolvedOptions().timeZone || zone.value;

  // When the database or the network is away the page stays, with all that was typed.
  // What was sent goes out again by one tap, under the same key: it is done once.
  const said = {
    503: "The database does not answer just now. Nothing was lost, and what you typed is still here.",
    0: "There is no connection just now. Nothing was lost, and what you typed is still here.",
  };
  const failed = (ctx, status) => {
    const from = ctx?.sourceElement;
    if (!from?.isConnected) return;
    const form = from.closest("form");
    document.querySelectorAll(".away").forEach((p) => p.remove());
    const box = document.createElement("div");
    box.className = "away problems";
    box.setAttribute("role", "alert");
    const p = document.createElement("p");
    p.textContent = said[status] ?? "Something went wrong on our side and was written down. What you typed is still here.";
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
    again.focus({ preventScroll: Boolean(form) });
  };
  document.addEventListener("htmx:response:error", (e) => {
    const status = e.detail.ctx?.response?.raw?.status ?? 0;
    if (status >= 500) failed(e.detail.ctx, status);
  });
  document.addEventListener("htmx:error", (e) => e.detail.ctx && failed(e.detail.ctx, 0));

  // After an exchange the focus is where it was, or where typing begins.
  let was = "";
  const sign = (e) => [e.tagName, e.name, e.type === "checkbox" ? "" : e.value, e.getAttribute("href"), e.textContent.trim()].join("|");
  document.addEventListener("htmx:before:swap", () => {
    const e = document.activeElement;
    was = e && e.matches("button, a, select") ? sign(e) : "";
  });
  document.addEventListener("htmx:after:swap", () => {
    const begins = document.querySelector("#page [autofocus]");
    const same = was && [...document.querySelectorAll("#page button, #page a, #page select")].find((e) => sign(e) === was);
    // On a phone a focus would push the keyboard over the page.
    if (begins && matchMedia("(pointer: fine)").matches) begins.focus();
    else if (same) same.focus({ preventScroll: true });
    else if (document.activeElement === document.body) document.getElementById("main")?.focus({ preventScroll: true });
    document.querySelector(".more details[open]")?.removeAttribute("open");
  });
})();

// The tray map: an egg is taken up and laid down by tap, drag or keys. The
// drawing moves at once; the server is told behind, and if it refuses, the egg
// goes back and the reason is said.
(() => {
  const svg = "http://www.w3.org/2000/svg";
  const map = () => document.getElementById("map");
  const say = (text, bad) => {
    const hand = document.getElementById("hand");
    hand.textContent = text;
    hand.classList.toggle("bad", Boolean(bad));
  };
  const key = () => {
    const b = crypto.getRandomValues(new Uint8Array(16));
    b[6] = (b[6] & 15) | 64;
    b[8] = (b[8] & 63) | 128;
    const x = [...b].map((n) => n.toString(16).padStart(2, "0")).join("");
    return [x.slice(0, 8), x.slice(8, 12), x.slice(12, 16), x.slice(16, 20), x.slice(20)].join("-");
  };
  let held = null;

  const eggsIn = (spot) => [...spot.querySelectorAll(".map-lies")];
  // seat puts the eggs of a place side by side and says what lies there.
  const seat = (spot) => {
    const { per, cell, high } = map().dataset;
    const side = Math.ceil(Math.sqrt(per));
    const eggs = eggsIn(spot);
    eggs.forEach((egg, i) => {
      i %= side * side;
      egg.setAttribute("transform", `translate(${(cell * ((i % side) + 0.5)) / side} ${(high * (Math.floor(i / side) + 0.5)) / side}) scale(${1 / side})`);
    });
    const air = ["warm", "cool"].find((a) => spot.querySelector(`.spot-ground.${a}`));
    spot.setAttribute("aria-label", spot.dataset.name + (air ? `, ${air}` : "") + (eggs.length ? `: ${eggs.map((e) => e.dataset.mark).join(", ")}` : ", empty"));
  };
  const drawn = (egg) => {
    const g = document.createElementNS(svg, "g");
    g.setAttribute("class", "map-lies");
    Object.assign(g.dataset, egg.dataset);
    g.innerHTML = `<path class="map-egg" fill="url(#${egg.dataset.band})" d="M0 -23c10 0 18 12 18 25C18 15 10.500 23 0 23S-18 15 -18 2C-18 -11 -10 -23 0 -23z"/><rect class="map-plate" x="-16" y="-7" width="32" height="15" rx="4"/><text class="map-code" text-anchor="middle" y="5"></text>`;
    g.querySelector("text").textContent = egg.dataset.mark;
    return g;
  };
  const loose = (egg) => {
    const b = document.createElement("button");
    b.type = "button";
    b.className = "loose";
    Object.assign(b.dataset, egg.dataset);
    b.innerHTML = `<svg viewBox="0 0 20 26" width="20" height="26" aria-hidden="true"><path class="map-egg" fill="url(#${egg.dataset.band})" d="M10 1c5 0 8.500 6.500 8.500 13C18.500 20.500 15 25 10 25S1.500 20.500 1.500 14C1.500 7.500 5 1 10 1z"/></svg>`;
    b.append(egg.dataset.mark);
    return b;
  };
  const hold = (egg) => {
    held?.classList.remove("held");
    held = egg;
    if (!egg) return;
    egg.classList.add("held");
    say(`${egg.dataset.mark} in hand: now its place.`);
  };

  // put lays the egg in hand into a place, or, without one, into the basket.
  const put = async (egg, spot) => {
    const from = egg.closest(".spot");
    hold(null);
    egg.classList.remove("held");
    if (from === spot) return say(`${egg.dataset.mark} stays.`);
    const mine = spot ? eggsIn(spot).filter((e) => !e.classList.contains("other")) : [];
    const other = spot && eggsIn(spot).length >= Number(map().dataset.per) ? mine[0] : null;
    if (spot && !other && eggsIn(spot).length >= Number(map().dataset.per)) return say(`${spot.dataset.name} holds eggs of another batch.`, true);
    const before = [egg, other].filter(Boolean).map((e) => [e, e.parentNode, e.nextSibling]);
    let now = egg;
    const place = (e, where) => {
      const shape = where ? (e.matches(".loose") ? drawn(e) : e) : e.matches(".loose") ? e : loose(e);
      if (shape !== e) e.remove();
      (where ?? document.getElementById("basket")).append(shape);
      return shape;
    };
    const moved = other ? place(other, from) : null;
    now = place(egg, spot);
    if (spot) seat(spot);
    if (from) seat(from);
    say(spot ? `${egg.dataset.mark} lies in ${spot.dataset.name}.` : `${egg.dataset.mark} is out of the tray.`);
    const body = new URLSearchParams({ key: key(), egg: egg.dataset.egg, tray: spot ? spot.closest("[data-tray]").dataset.tray : "0", place: spot?.dataset.name ?? "" });
    try {
      const answer = await fetch(`/batches/${map().dataset.batch}/trays`, { method: "POST", body, headers: { "X-Map": "1" }, redirect: "error" });
      if (answer.status !== 204) throw new Error(answer.status === 422 ? await answer.text() : "That did not work; the egg lies where it lay.");
    } catch (refused) {
      now.remove();
      moved?.remove();
      for (const [e, parent, next] of before.reverse()) parent.insertBefore(e, next?.parentNode === parent ? next : null);
      if (spot) seat(spot);
      if (from) seat(from);
      say(refused.message, true);
    }
  };

  const mine = (t) => t.closest?.("#map .map-lies:not(.other), #map .loose");
  let dragged = false;
  document.addEventListener("click", (e) => {
    if (!e.target.closest?.("#map .spot, #map .loose, #basket")) return;
    if (dragged) return (dragged = false);
    const egg = mine(e.target);
    const spot = e.target.closest(".spot");
    if (!held) return egg && hold(egg);
    if (egg === held) return hold(null), say("Laid back.");
    put(held, spot);
  });
  document.addEventListener("pointerdown", (e) => {
    const egg = e.pointerType !== "touch" && e.button === 0 && mine(e.target);
    if (!egg) return;
    let ghost = null;
    const over = (x, y) => document.elementFromPoint(x, y)?.closest(".spot, #basket");
    const move = (p) => {
      if (!ghost && Math.hypot(p.clientX - e.clientX, p.clientY - e.clientY) < 6) return;
      if (!ghost) {
        ghost = document.createElement("div");
        ghost.className = "ghost code";
        ghost.textContent = egg.dataset.mark;
        document.body.append(ghost);
        hold(egg);
      }
      ghost.style.left = `${p.clientX}px`;
      ghost.style.top = `${p.clientY}px`;
    };
    const up = (p) => {
      document.removeEventListener("pointermove", move);
      document.removeEventListener("pointerup", up);
      if (!ghost) return;
      ghost.remove();
      dragged = true;
      setTimeout(() => (dragged = false));
      const target = over(p.clientX, p.clientY);
      if (target) put(egg, target.matches(".spot") ? target : null);
      else hold(null);
    };
    document.addEventListener("pointermove", move);
    document.addEventListener("pointerup", up);
  });
  document.addEventListener("keydown", (e) => {
    const spot = e.target.closest?.("#map .spot");
    if (!spot) return;
    const all = [...document.querySelectorAll("#map .spot")];
    const columns = Number(spot.closest("[data-columns]").dataset.columns);
    const step = { ArrowRight: 1, ArrowLeft: -1, ArrowDown: columns, ArrowUp: -columns }[e.key];
    if (step) {
      const next = all[all.indexOf(spot) + step];
      if (next) {
        spot.setAttribute("tabindex", "-1");
        next.setAttribute("tabindex", "0");
        next.focus();
      }
    } else if (e.key === "Enter" || e.key === " ") {
      if (held) put(held, spot);
      else {
        const egg = eggsIn(spot).find((g) => !g.classList.contains("other"));
        if (egg) hold(egg);
      }
    } else if (e.key === "Delete" || e.key === "Backspace") {
      const egg = held ?? eggsIn(spot).find((g) => !g.classList.contains("other"));
      if (egg) put(egg, null);
    } else if (e.key === "Escape") hold(null);
    else return;
    e.preventDefault();
    e.stopPropagation();
  });
})();
