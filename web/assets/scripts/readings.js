// How it went in a machine: temperature, and humidity beneath on the same ruler, drawn with uPlot, which is fetched
// from this server by the page that needs it alone.
(() => {
  const colour = (of, name) => getComputedStyle(of).getPropertyValue(name).trim();
  const added = (kind, values) =>
    new Promise((done, failed) => {
      const e = Object.assign(document.createElement(kind), values, {onload: done, onerror: failed});
      document.head.append(e);
    });
  const fetchPlot = of =>
    window.uPlot
      ? Promise.resolve()
      : Promise.all([
          added("script", {src: of.plot}),
          added("link", {rel: "stylesheet", href: of.dress}),
        ]);

  // joined puts the curves on one row of moments; null is a gap, undefined is nothing of this curve.
  const joined = (curves, what) =>
    uPlot.join(curves.map(c => [c.at, c[what]]), curves.map(() => [1, 1]));

  const traces = [
    {stroke: "--ink", dash: []},
    {stroke: "--plum", dash: [8, 4]},
    {stroke: "--moss", dash: [2, 3]},
    {stroke: "--lamp", dash: [12, 4, 2, 4]},
    {stroke: "--sky", dash: [4, 2]},
  ];

  // behind draws what the eggs want, and what happened to the machine.
  const behind = (root, got, low, top, marks) => u => {
    const {ctx, bbox} = u;
    ctx.save();
    ctx.beginPath();
    ctx.rect(bbox.left, bbox.top, bbox.width, bbox.height);
    ctx.clip();
    ctx.fillStyle = colour(root, "--teal-pale");
    for (const w of got.wants) {
      const x = u.valToPos(w.from, "x", true);
      const y = u.valToPos(w[top], "y", true);
      ctx.fillRect(x, y, u.valToPos(w.to, "x", true) - x, u.valToPos(w[low], "y", true) - y);
    }
    const px = devicePixelRatio;
    for (const m of marks ? got.marks : []) {
      const x = u.valToPos(m.at, "x", true);
      if (m.kind === "power" || m.kind === "ajar") {
        ctx.fillStyle = colour(root, "--vein-pale");
        ctx.fillRect(x, bbox.top, Math.max(2, u.valToPos(m.to, "x", true) - x), bbox.height);
        continue;
      }
      ctx.fillStyle = colour(root, m.kind === "water" ? "--teal" : "--lamp");
      ctx.beginPath();
      if (m.kind === "water") ctx.arc(x, bbox.top + 6 * px, 4 * px, 0, 7);
      else {
        ctx.moveTo(x - 5 * px, bbox.top);
        ctx.lineTo(x + 5 * px, bbox.top);
        ctx.lineTo(x, bbox.top + 9 * px);
      }
      ctx.fill();
    }
    ctx.restore();
  };

  // batches are bars beneath the humidity.
  const batches = (root, got) => u => {
    const {ctx, bbox} = u;
    const px = devicePixelRatio;
    ctx.save();
    ctx.font = `${12 * px}px Hyperlegible, sans-serif`;
    ctx.textBaseline = "bottom";
    ctx.textAlign = "left";
    const lanes = [];
    for (const w of got.wants) {
      const left = Math.max(bbox.left, u.valToPos(w.from, "x", true));
      const right = Math.min(bbox.left + bbox.width, u.valToPos(w.to, "x", true));
      if (right - left < 2) continue;
      let lane = lanes.findIndex(end => end <= left);
      if (lane < 0) lane = lanes.length;
      lanes[lane] = right;
      if (lane > 2) continue;
      const y = bbox.top + bbox.height - (4 + 16 * lane) * px;
      ctx.fillStyle = colour(root, w.locked ? "--lamp" : "--teal");
      ctx.fillRect(left, y, right - left, 3 * px);
      ctx.fillStyle = colour(root, "--ink");
      if (ctx.measureText(w.code).width < right - left) ctx.fillText(w.code, left + 2 * px, y);
    }
    ctx.restore();
  };

  const options = (root, got, what, height, hooks) => {
    const zone = got.zone;
    const hour = {hour: "numeric", minute: "2-digit", hour12: got.clock12};
    const clock = new Intl.DateTimeFormat("en-GB", {timeZone: zone, ...hour});
    const day = new Intl.DateTimeFormat("en-GB", {timeZone: zone, day: "numeric", month: "short"});
    const full = new Intl.DateTimeFormat("en-GB", {
      timeZone: zone,
      day: "numeric",
      month: "short",
      year: "numeric",
      ...hour,
    });
    const ink = colour(root, "--soft");
    const line = colour(root, "--line");
    const font = "12px Hyperlegible, sans-serif";
    const axis = {stroke: ink, grid: {stroke: line, width: 1}, ticks: {stroke: line}, font};
    const unit = what === "temp" ? got.unit : "%";
    return {
      width: root.clientWidth,
      height,
      tzDate: at => uPlot.tzDate(new Date(at * 1e3), zone),
      cursor: {sync: {key: root.dataset.course}, drag: {x: true, y: false, setScale: false}},
      scales: {
        x: {min: got.from, max: got.to},
        // Beneath the humidity there is room for the batches.
        y: what === "rh" ? {range: (u, low, top) => [low - 0.4 * (top - low) - 4, top + 3]} : {},
      },
      axes: [
        {
          ...axis,
          values: (u, at) => at.map((t, i) => {
            const on = day.format(t * 1e3);
            if (i && on === day.format(at[i - 1] * 1e3)) return clock.format(t * 1e3);
            return at.length > 1 && at[1] - at[0] < 86400 ? `${clock.format(t * 1e3)}\n${on}` : on;
          }),
        },
        {...axis, size: 56, values: (u, all) => all.map(v => `${+v.toFixed(1)} ${unit}`)},
      ],
      series: [
        {label: "At", value: (u, t) => (t == null ? "" : full.format(t * 1e3))},
        ...got.curves.map((c, i) => {
          const t = traces[i % traces.length];
          return {
            label: c.name,
            stroke: colour(root, t.stroke),
            dash: t.dash,
            width: 1.5,
            paths: c.byHand ? () => null : undefined,
            points: {show: c.byHand || undefined, size: 8},
            value: (u, v) => (v == null ? "–" : `${v} ${unit}`),
          };
        }),
      ],
      hooks,
    };
  };

  // closer opens the page of the span that was dragged over, which is read as finely as it can be.
  const closer = u => {
    const {left, width} = u.select;
    if (width < 8) return;
    const at = x => Math.round(u.posToVal(x, "x"));
    location.search = `?from=${at(left)}&to=${Math.max(at(left + width), at(left) + 600)}`;
  };

  const draw = async root => {
    const answer = await fetch(root.dataset.course);
    if (!answer.ok) return;
    const got = await answer.json();
    await fetchPlot(root.dataset);
    if (!root.isConnected || !got.curves.length) return;
    for (const u of root.plots ?? []) u.destroy();
    root.textContent = "";
    root.plots = [];
    const add = (what, height, hooks) => {
      if (!got.curves.some(c => c[what].some(v => v != null))) return;
      root.plots.push(new uPlot(options(root, got, what, height, hooks), joined(got.curves, what), root));
    };
    add("temp", 300, {drawClear: [behind(root, got, "low", "top", true)], setSelect: [closer]});
    add("rh", 200, {
      drawClear: [behind(root, got, "rhLow", "rhTop", false)],
      draw: [batches(root, got)],
      setSelect: [closer],
    });
    root.dataset.drawn = got.curves.reduce((n, c) => n + c.at.length, 0);
  };

  let line;
  const begin = () => {
    line?.close();
    const root = document.querySelector("[data-course]");
    if (!root || root.begun) return;
    root.begun = true;
    draw(root);
    if (root.dataset.live) {
      line = new EventSource(root.dataset.live);
      // Once the line stands, what came in before it did is read too.
      for (const told of ["here", "readings"]) {
        line.addEventListener(told, () => (root.isConnected ? draw(root) : line.close()));
      }
    }
    new ResizeObserver(() => {
      for (const u of root.plots ?? []) u.setSize({width: root.clientWidth, height: u.height});
    }).observe(root);
  };
  document.addEventListener("DOMContentLoaded", begin);
  document.addEventListener("htmx:after:swap", begin);
})();
