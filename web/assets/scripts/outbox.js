// What was done where there may be no signal. It counts at once on the page, and waits in this
// browser's own store (IndexedDB) until the server has it, so that a cellar without a signal loses
// nothing. Each op has a key, and the server does it once however often it is sent. What cannot be
// done is told, and stays in sight.
const outbox = (() => {
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

  // Where a row goes; those of earlier versions are calls at the bench.
  const address = r => r.to ?? `/batches/${r.batch}/calls`;

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
        if (rows[0].form !== undefined) {
          await sendForm(rows[0], whose);
          continue;
        }
        const together = rows.filter(r => r.form === undefined && address(r) === address(rows[0]));
        const answer = await fetch(address(rows[0]), {
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
          if (d.done) document.dispatchEvent(new CustomEvent("outbox:done", {detail: {op: row.op, says: d.says}}));
          if (!d.done)
            await ask("refused", "readwrite", s =>
              s.add({who: whose, op: row.op, mark: row.mark, says: d.says}),
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
  // A form that was sent without a signal goes out as it was, with the moment at which it was made.
  const sendForm = async (row, whose) => {
    const answer = await fetch(row.to, {
      method: "POST",
      body: row.form,
      headers: {
        "Content-Type": "application/x-www-form-urlencoded",
        "X-Later": row.op.at,
        "X-Who": whose,
      },
      redirect: "manual",
    });
    if (answer.type === "opaqueredirect" || answer.status === 403) throw new Error("Sign in again");
    if (answer.status >= 500) throw new Error("The server does not answer");
    const d = answer.headers.get("Content-Type")?.startsWith("application/json")
      ? await answer.json()
      : {done: false, says: "This cannot be done any more."};
    if (!d.done)
      await ask("refused", "readwrite", s => s.add({who: whose, op: row.op, mark: row.mark, says: d.says}));
    await ask("ops", "readwrite", s => s.delete(row.id));
    document.dispatchEvent(new CustomEvent("outbox:form", {detail: {row, says: d.says, done: d.done}}));
    await refused();
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

  let tail = Promise.resolve(); // ops are kept in the order in which they were made
  const put = (to, op, mark) => {
    op.key = newKey();
    op.at = new Date().toISOString();
    if (el("line")) el("line").dataset.waiting = "some";
    made++;
    unstored++;
    const whose = who();
    tail = tail
      .then(() => ask("ops", "readwrite", s => s.add({who: whose, to, op, mark})))
      .finally(() => unstored--)
      .then(() => void flush());
    return op.key;
  };

  // putForm keeps a form, to be sent once there is a signal; label says what it is.
  const putForm = async (to, form, label) => {
    const op = {kind: label, at: new Date().toISOString(), key: newKey()};
    await ask("ops", "readwrite", s => s.add({who: who(), to, form, op, mark: ""}));
    flush();
  };
  const forms = async () => (await mine("ops")).filter(r => r.form !== undefined);

  // quietly reads a page to be kept: what is to be said to its reader stays for the page that is opened.
  const quietly = async (kept, path) => {
    const page = await fetch(path, {headers: {"Metrogon-Keep": "yes"}});
    if (!page.ok || page.redirected) throw new Error(path);
    await kept.put(path, page);
  };

  // also keeps other pages, so that they open without a signal, and tells of each.
  const also = async (paths, done) => {
    const kept = await caches.open(`metrogon-bench ${who()}`);
    for (const path of paths)
      await quietly(kept, path).then(
        () => done(path),
        () => {}, // one that is gone meanwhile
      );
  };

  // keep lets the page that is open be opened again without a signal.
  const keep = (element, done = () => {}) => {
    if (!element || !navigator.serviceWorker) return;
    navigator.serviceWorker.register("/sw.js");
    navigator.serviceWorker.ready.then(async () => {
      const kept = await caches.open(`metrogon-bench ${who()}`);
      await (await caches.open("metrogon-who")).put("/who", new Response(who()));
      const dress = [
        ...document.querySelectorAll("link[rel=stylesheet], link[rel=preload], script[src]"),
      ].map(e => e.href || e.src);
      await quietly(kept, location.pathname);
      await kept.addAll(dress.map(u => new URL(u).pathname + new URL(u).search));
      element.dataset.kept = "yes"; // it opens without a signal from now on
      done();
    });
  };
  // Who signs out leaves no pages behind, and is told what waits.
  const leave = async (form, send) => {
    if (send) {
      await flush();
      const left = (await mine("ops")).length;
      if (left > 0) return tell(form, left, "They could not be sent just now.");
    }
    await globalThis.caches?.delete(`metrogon-bench ${who()}`); // there is none without HTTPS
    await globalThis.caches?.delete("metrogon-who");
    sessionStorage.clear();
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

  // waiting are the ops that go to an address and are not there yet.
  const waiting = async to => (await mine("ops")).filter(r => address(r) === to).map(r => r.op);
  addEventListener("online", flush);
  return {put, putForm, forms, flush, refused, keep, also, waiting, who};
})();
