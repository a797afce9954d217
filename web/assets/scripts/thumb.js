// A tap is not taken for a control that came under the thumb within the last second: it was meant for what was there
// before. Where nothing moved, taps may be as quick as they like.
(() => {
  const moment = 1000;
  const under = (x, y) =>
    document.elementFromPoint(x, y)?.closest("a[href], button, input, select, textarea, label, summary");
  const kept = JSON.parse(sessionStorage.getItem("tap") ?? "null");
  // last is where the thumb was, what lay there, and since when something else does.
  let last = kept && Date.now() - kept.at < 3 * moment ? {...kept, moved: Date.now()} : null;
  let touch = false;
  const look = () => {
    if (!last || Date.now() - last.at > 3 * moment) return;
    const now = under(last.x, last.y);
    if (now !== last.control) Object.assign(last, {control: now, moved: Date.now()});
  };
  new MutationObserver(look).observe(document.documentElement, {childList: true, subtree: true});
  document.addEventListener("pointerdown", e => { touch = e.pointerType === "touch"; }, true);
  document.addEventListener(
    "click",
    e => {
      if (!e.isTrusted || e.detail === 0 || (!touch && e.detail < 2)) return; // by keys, by script, or by a calm mouse
      const near = last && Math.hypot(e.clientX - last.x, e.clientY - last.y) < 48;
      if (near && last.moved && Date.now() - last.moved < moment && under(e.clientX, e.clientY)) {
        e.preventDefault();
        e.stopImmediatePropagation();
        return;
      }
      last = {x: e.clientX, y: e.clientY, at: Date.now(), control: under(e.clientX, e.clientY), moved: 0};
      sessionStorage.setItem("tap", JSON.stringify({x: last.x, y: last.y, at: last.at}));
    },
    true,
  );
})();
