// The board, where it is wider than the screen: it begins at today, a quarter in, and the
// codes of bars that began earlier stay in sight.
(() => {
  const begin = () => {
    const board = document.querySelector(".board-scroll[data-now]:not([data-begun])");
    if (!board) return;
    board.dataset.begun = "yes";
    const names = board.querySelector(".board-names").clientWidth;
    const days = board.querySelector(".board-in").clientWidth - names;
    const room = board.clientWidth - names;
    const px = percent => (parseFloat(percent) / 100) * days;
    const tags = [...board.querySelectorAll(".bar-tag")].filter(t => t.dataset.bar);
    const follow = () => {
      for (const t of tags) {
        const most = Math.max(0, px(t.dataset.bar) - t.dataset.wide - 6);
        const by = Math.min(Math.max(0, board.scrollLeft - px(t.getAttribute("x"))), most);
        t.firstElementChild.setAttribute("transform", `translate(${by} 0)`);
      }
    };
    board.addEventListener("scroll", () => requestAnimationFrame(follow), {passive: true});
    if (board.dataset.now) board.scrollLeft = px(board.dataset.now) - room / 4;
    follow();
  };
  begin();
  document.addEventListener("htmx:after:swap", begin);
})();
