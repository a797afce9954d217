// A device that takes messages while no page is open.
(() => {
  const begin = () => {
    const form = document.querySelector("form[data-push]");
    if (!form || !("PushManager" in window) || !navigator.serviceWorker) return;
    form.hidden = false;
    form.addEventListener("submit", async e => {
      if (form.elements.endpoint.value) return;
      e.preventDefault();
      e.stopImmediatePropagation();
      const says = form.querySelector("[role=status]");
      try {
        navigator.serviceWorker.register("/sw.js");
        const worker = await navigator.serviceWorker.ready;
        const key = Uint8Array.from(
          atob(form.dataset.push.replaceAll("-", "+").replaceAll("_", "/")),
          c => c.charCodeAt(0),
        );
        const place = (
          await worker.pushManager.subscribe({userVisibleOnly: true, applicationServerKey: key})
        ).toJSON();
        form.elements.endpoint.value = place.endpoint;
        form.elements.p256dh.value = place.keys.p256dh;
        form.elements.auth.value = place.keys.auth;
        form.requestSubmit();
      } catch {
        says.textContent = "This browser does not allow messages here; see its settings for this page.";
      }
    }, true);
  };
  addEventListener("load", begin);
  document.addEventListener("htmx:after:swap", begin);
})();
