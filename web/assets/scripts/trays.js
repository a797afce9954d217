// The tray map: an egg is taken up and laid down by tap, drag or keys. The
// drawing moves at once; the server is told behind, and if it refuses, the egg
// goes back and the reason is said.
(() => {
  const map = () => document.getElementById("map");
  const say = (text, bad) => {
    const hand = document.getElementById("hand");
    hand.textContent = text;
    hand.classList.toggle("bad", Boolean(bad));
  };
  let held = null;

  const eggsIn = spot => [...spot.querySelectorAll(".map-lies")];
  const said = ({dataset: {mark, glyph}}) => `${glyph} ${mark}`.trim();
  // seat puts the eggs of a place side by side and says what lies there.
  const seat = spot => {
    const {per, cell, high} = map().dataset;
    const side = Math.ceil(Math.sqrt(per));
    const eggs = eggsIn(spot);
    eggs.forEach((egg, i) => {
      i %= side * side;
      const x = (cell * ((i % side) + 0.5)) / side;
      const y = (high * (Math.floor(i / side) + 0.5)) / side;
      egg.setAttribute("transform", `translate(${x} ${y})`);
    });
    const air = ["warm", "cool"].find(a => spot.querySelector(`.spot-ground.${a}`));
    spot.setAttribute(
      "aria-label",
      spot.dataset.name +
        (air ? `, ${air}` : "") +
        (eggs.length ? `: ${eggs.map(said).join(", ")}` : ", empty"),
    );
  };
  // part makes an egg for the map or the basket, as the page has drawn one to copy.
  const part = (selector, egg) => {
    const copy = document
      .getElementById("map-parts")
      .content.querySelector(selector)
      .cloneNode(true);
    Object.assign(copy.dataset, egg.dataset);
    copy.classList.add(egg.dataset.call);
    copy.querySelector(".map-band").setAttribute("fill", `url(#${egg.dataset.band})`);
    return copy;
  };
  const drawn = egg => {
    const g = part(".map-lies", egg);
    g.querySelector(".map-code").textContent = egg.dataset.mark;
    g.querySelector(".map-glyph").textContent = egg.dataset.glyph;
    return g;
  };
  const loose = egg => {
    const b = part(".loose", egg);
    b.querySelector("b").textContent = egg.dataset.mark;
    return b;
  };
  const hold = egg => {
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
    const mine = spot ? eggsIn(spot).filter(e => !e.classList.contains("other")) : [];
    const other = spot && eggsIn(spot).length >= Number(map().dataset.per) ? mine[0] : null;
    if (spot && !other && eggsIn(spot).length >= Number(map().dataset.per))
      return say(`${spot.dataset.name} holds eggs of another batch.`, true);
    const before = [egg, other].filter(Boolean).map(e => [e, e.parentNode, e.nextSibling]);
    let now = egg;
    const place = (e, where) => {
      const shape = where
        ? e.matches(".loose")
          ? drawn(e)
          : e
        : e.matches(".loose")
          ? e
          : loose(e);
      if (shape !== e) e.remove();
      (where ?? document.getElementById("basket")).append(shape);
      return shape;
    };
    const moved = other ? place(other, from) : null;
    now = place(egg, spot);
    if (spot) seat(spot);
    if (from) seat(from);
    say(
      spot
        ? `${egg.dataset.mark} lies in ${spot.dataset.name}.`
        : `${egg.dataset.mark} is out of the tray.`,
    );
    const body = new URLSearchParams({
      key: newKey(),
      egg: egg.dataset.egg,
      tray: spot ? spot.closest("[data-tray]").dataset.tray : "0",
      place: spot?.dataset.name ?? "",
    });
    try {
      const answer = await fetch(`/batches/${map().dataset.batch}/trays`, {
        method: "POST",
        body,
        headers: {"X-Map": "1"},
        redirect: "error",
      });
      if (answer.status !== 204)
        throw new Error(
          answer.status === 422
            ? await answer.text()
            : "That did not work; the egg lies where it lay.",
        );
    } catch (refused) {
      now.remove();
      moved?.remove();
      for (const [e, parent, next] of before.reverse())
        parent.insertBefore(e, next?.parentNode === parent ? next : null);
      if (spot) seat(spot);
      if (from) seat(from);
      say(refused.message, true);
    }
  };

  const mine = t => t.closest?.("#map .map-lies:not(.other), #map .loose");
  let dragged = false;
  document.addEventListener("click", e => {
    if (!e.target.closest?.("#map .spot, #map .loose, #basket")) return;
    if (dragged) return (dragged = false);
    const egg = mine(e.target);
    const spot = e.target.closest(".spot");
    if (!held) return egg && hold(egg);
    if (egg === held) return (hold(null), say("Laid back."));
    put(held, spot);
  });
  document.addEventListener("pointerdown", e => {
    const egg = e.pointerType !== "touch" && e.button === 0 && mine(e.target);
    if (!egg) return;
    let ghost = null;
    const over = (x, y) => document.elementFromPoint(x, y)?.closest(".spot, #basket");
    const move = p => {
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
    const up = p => {
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
  document.addEventListener("keydown", e => {
    const spot = e.target.closest?.("#map .spot");
    if (!spot) return;
    const all = [...document.querySelectorAll("#map .spot")];
    const columns = Number(spot.closest("[data-columns]").dataset.columns);
    const step = {ArrowRight: 1, ArrowLeft: -1, ArrowDown: columns, ArrowUp: -columns}[e.key];
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
        const egg = eggsIn(spot).find(g => !g.classList.contains("other"));
        if (egg) hold(egg);
      }
    } else if (e.key === "Delete" || e.key === "Backspace") {
      const egg = held ?? eggsIn(spot).find(g => !g.classList.contains("other"));
      if (egg) put(egg, null);
    } else if (e.key === "Escape") hold(null);
    else return;
    e.preventDefault();
    e.stopPropagation();
  });
})();
