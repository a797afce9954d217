// Planned batches on the board: dragged, or moved by the arrow keys, to another day or machine.
// What they would meet there is asked of the server and shown where it happens; nothing is kept
// before the hand lets go, or Enter is pressed.
(() => {
  const svgNS = "http://www.w3.org/2000/svg";
  const dayMs = 86400000;
  let held = null; // the planned batch in hand

  const board = () => document.querySelector(".board-scroll[data-days]");
  const bars = id => [...document.querySelectorAll(`[data-planned="${id}"], .bar-tag[data-of="${id}"]`)];
  const lanes = () => [...document.querySelectorAll(".board-lane")];
  const shift = (date, days) => new Date(Date.parse(date) + days * dayMs).toISOString().slice(0, 10);
  const perDay = () => document.querySelector(".board-svg").getBoundingClientRect().width / board().dataset.days;

  // take picks a bar up.
  const take = bar => {
    const d = bar.dataset;
    if (held?.id === d.planned) return;
    drop();
    held = {
      id: d.planned, phase: d.phase, kind: d.kind, label: d.label, on: d.on, setter: d.setter, hatcher: d.hatcher,
      days: 0, bar, known: new Map(), asked: "",
    };
    for (const b of bars(held.id)) b.classList.add("held");
  };

  // drop puts it back where it was.
  const drop = () => {
    if (!held) return;
    for (const b of bars(held.id)) {
      b.classList.remove("held");
      b.removeAttribute("transform");
    }
    held = null;
    show(null);
  };

  // place draws it so many pixels aside; its bar in hand in the lane picked.
  const place = (x, y) => {
    for (const b of bars(held.id)) b.setAttribute("transform", `translate(${x} ${b === held.bar ? y : 0})`);
  };

  const silence = {
    means: "nobody answers; what it would meet there is not known.", says: [], spots: [], cures: [],
  };

  const where = () => ({on: shift(held.on, held.days), setter: held.setter, hatcher: held.hatcher});

  // fits tells whether a lane takes the batch in hand in the phase of its bar.
  const fits = lane => {
    const kinds = held.phase === "lockdown" ? lane.dataset.hatch : lane.dataset.set;
    return kinds.split(" ").includes(held.kind);
  };

  const into = lane => {
    if (held.phase === "lockdown") held.hatcher = lane.dataset.lane;
    else held.setter = lane.dataset.lane;
  };

  // ask finds out what it would meet where it is; each place is asked for once.
  const ask = async () => {
    const mine = held, w = where(), name = `${w.on} ${w.setter} ${w.hatcher}`;
    if (mine.asked === name) return;
    mine.asked = name;
    if (!mine.known.has(name)) {
      const q = new URLSearchParams({set_on: w.on, setter: w.setter, hatcher: w.hatcher});
      const answer = fetch(`/planned/${mine.id}/try?${q}&${board().dataset.query}`).then(r => r.ok ? r.json() : null);
      mine.known.set(name, answer.catch(() => null));
    }
    const answer = await mine.known.get(name);
    if (held === mine && mine.asked === name) show(answer ?? silence);
  };

  // show tells what stands against it, with the cures as buttons, and marks the places.
  const show = answer => {
    const box = document.querySelector(".board-try"), spots = document.querySelector(".spots");
    if (!box) return;
    spots.replaceChildren();
    box.replaceChildren();
    box.hidden = !answer;
    if (!answer) return;
    const p = document.createElement("p");
    p.textContent = `${held.label}: ${answer.means}`;
    box.append(p);
    for (const says of answer.says) {
      const line = document.createElement("p");
      line.className = "bad";
      line.textContent = says;
      box.append(line);
    }
    if (answer.cures.length) {
      const cures = document.createElement("p");
      cures.className = "cures";
      for (const c of answer.cures) {
        const b = document.createElement("button");
        b.type = "button";
        b.className = "button is-small";
        b.textContent = c.says;
        b.addEventListener("click", () => save({
          on: c.on, setter: c.setter || where().setter, hatcher: c.hatcher || where().hatcher, eggs: c.eggs,
        }));
        cures.append(b);
      }
      box.append(cures);
    }
    const keep = document.createElement("p");
    keep.className = "taps";
    const yes = document.createElement("button"), no = document.createElement("button");
    yes.type = no.type = "button";
    yes.className = "button is-small is-main move-keep";
    no.className = "button is-small";
    yes.textContent = answer.says.length ? "Keep it there all the same" : "Keep it there";
    no.textContent = "Put it back";
    yes.addEventListener("click", () => save(where()));
    no.addEventListener("click", drop);
    keep.append(yes, no);
    box.append(keep);
    for (const s of answer.spots) for (const l of lanes()) {
      if (s.lane !== -1 && l.dataset.lane !== String(s.lane)) continue;
      const ground = l.querySelector(".lane-ground"), mark = document.createElementNS(svgNS, "rect");
      for (const [name, value] of Object.entries({
        class: "meeting", x: `${100 * s.x}%`, width: `${100 * s.w}%`, y: ground.getAttribute("y"),
        height: ground.getAttribute("height"),
      })) mark.setAttribute(name, value);
      spots.append(mark);
    }
    for (const b of bars(held.id)) b.classList.toggle("meets", answer.says.length > 0);
  };

  const save = w => {
    const form = document.querySelector(".move-form");
    form.action = `/planned/${held.id}/move`;
    form.elements.set_on.value = w.on;
    form.elements.setter.value = w.setter;
    form.elements.hatcher.value = w.hatcher;
    form.elements.eggs.value = w.eggs || "";
    form.requestSubmit();
  };

  // By hand: a press that moves is a drag, one that does not is a tap on a link.
  let press = null;
  document.addEventListener("pointerdown", e => {
    const bar = e.target.closest?.("a[data-planned]");
    if (!bar || e.button !== 0) return;
    press = {bar, x: e.clientX, y: e.clientY, moved: false, id: e.pointerId, frame: 0, at: e};
  });
  document.addEventListener("pointermove", e => {
    if (!press || e.pointerId !== press.id) return;
    press.at = e;
    if (!press.moved && Math.hypot(e.clientX - press.x, e.clientY - press.y) < 5) return;
    if (!press.moved) {
      press.moved = true;
      take(press.bar);
      press.days = held.days;
      press.bar.setPointerCapture?.(e.pointerId);
      press.step = perDay();
      press.lanes = lanes().map(l => [l, l.querySelector(".lane-ground").getBoundingClientRect()]);
      press.from = press.lanes.find(([, r]) => press.y >= r.top - 5 && press.y <= r.bottom + 5);
    }
    e.preventDefault();
    press.frame ||= requestAnimationFrame(() => {
      if (!press || !held) return;
      press.frame = 0;
      const days = press.days + Math.round((press.at.clientX - press.x) / press.step);
      const over = press.lanes.find(([, r]) => press.at.clientY >= r.top - 5 && press.at.clientY <= r.bottom + 5);
      const lane = over && fits(over[0]) ? over : press.from;
      if (lane) into(lane[0]);
      held.days = days;
      place(days * press.step, lane && press.from ? lane[1].top - press.from[1].top : 0);
      ask();
    });
  });
  document.addEventListener("pointerup", e => {
    if (!press || e.pointerId !== press.id) return;
    const moved = press.moved;
    press = null;
    if (!moved) return;
    const still = click => { // what lets go of a bar does not open it
      click.preventDefault();
      click.stopPropagation();
    };
    document.addEventListener("click", still, {capture: true, once: true});
    setTimeout(() => document.removeEventListener("click", still, {capture: true}));
  });
  document.addEventListener("pointercancel", () => { press = null; });
  document.addEventListener("dragstart", e => { if (e.target.closest?.("a[data-planned]")) e.preventDefault(); });

  // By keys, from a bar in focus.
  document.addEventListener("keydown", e => {
    if (e.key === "Escape" && held) {
      drop();
      return;
    }
    const bar = e.target.closest?.("a[data-planned]");
    if (!bar || e.altKey || e.ctrlKey || e.metaKey) return;
    const arrow = {ArrowLeft: -1, ArrowRight: 1, ArrowUp: -1, ArrowDown: 1}[e.key];
    if (arrow) {
      e.preventDefault();
      take(bar);
      const all = lanes(), now = held.phase === "lockdown" ? held.hatcher : held.setter;
      if (e.key === "ArrowLeft" || e.key === "ArrowRight") {
        held.days += arrow;
      } else {
        const can = all.filter(fits), at = can.findIndex(l => l.dataset.lane === now);
        into(can[(at + arrow + can.length) % can.length]);
      }
      const locked = held.phase === "lockdown", lane = id => all.find(l => l.dataset.lane === id);
      const to = lane(locked ? held.hatcher : held.setter);
      const from = lane(locked ? bar.dataset.hatcher : bar.dataset.setter);
      const top = l => l.querySelector(".lane-ground").getBoundingClientRect().top;
      place(held.days * perDay(), to && from ? top(to) - top(from) : 0);
      ask();
    } else if (e.key === "Enter" && held?.id === bar.dataset.planned && (held.days || held.asked)) {
      e.preventDefault();
      save(where());
    }
  });
  document.addEventListener("htmx:after:swap", () => { held = press = null; });
})();
