package web

// offSheet lists what a page shows that is not on the house's one sheet: text of another
// size than the tokens' of theme.css, or under 12 px; corners of another radius; labels of
// a drawing that run into one another. Drawings are measured as they come out on screen.
const offSheet = `(() => {
	const token = getComputedStyle(document.documentElement);
	const px = names => names.map(n => parseFloat(token.getPropertyValue("--" + n)));
	const sizes = px(["message", "figure", "title", "section", "body", "second", "key", "drawing"]);
	const radii = [0, ...px(["card", "control", "mark"])];
	const wrong = new Set();
	const near = (all, n) => all.some(x => Math.abs(x - n) < 0.06);
	const seen = e => e.checkVisibility({visibilityProperty: true}) && !e.closest("noscript");
	for (const e of document.querySelectorAll("body *")) {
		if (!seen(e)) continue;
		const name = e.tagName.toLowerCase() + "." + (e.getAttribute("class") ?? "");
		const style = getComputedStyle(e);
		const writes = e.matches("input:not([type=checkbox], [type=radio], [type=hidden]), select, textarea") ||
			[...e.childNodes].some(n => n.nodeType === 3 && n.data.trim());
		if (writes && !e.matches("title, option, style, script")) {
			const scale = e.ownerSVGElement ? Math.abs(e.getScreenCTM?.().a ?? 1) : 1;
			const size = parseFloat(style.fontSize) * scale;
			if (!near(sizes, size)) wrong.add(name + " writes at " + size.toFixed(1) + " px");
		}
		if (e.ownerSVGElement || e.matches("input[type=checkbox], input[type=radio], progress")) continue;
		for (const r of style.borderRadius.split(/[ /]+/))
			if (!r.endsWith("%") && !near(radii, parseFloat(r))) wrong.add(name + " has corners of " + r);
	}
	for (const svg of document.querySelectorAll("svg")) {
		if (svg.ownerSVGElement || !seen(svg)) continue;
		const texts = [...svg.querySelectorAll("text")].filter(seen).map(t => [t, t.getBoundingClientRect()]);
		texts.forEach(([t, a], i) => texts.slice(i + 1).forEach(([u, b]) => {
			const across = Math.min(a.right, b.right) - Math.max(a.left, b.left);
			const down = Math.min(a.bottom, b.bottom) - Math.max(a.top, b.top);
			if (across > 1 && down > 5)
				wrong.add(svg.getAttribute("class") + ": “" + t.textContent + "” runs into “" + u.textContent + "”");
		}));
	}
	return [...wrong].slice(0, 12).join("\n");
})()`

// smallTargets lists what a thumb has to hit and could miss: links, buttons and fields
// less than 44 px high, with whatever pads them. The bars of the board are as high as
// the board has room; its table has the same links.
const smallTargets = `(() => {
	const wrong = new Set();
	const tapped = "a[href], button, summary, select, textarea, input:not([type=hidden])";
	for (const e of document.querySelectorAll(tapped)) {
		if (!e.checkVisibility({visibilityProperty: true}) || e.closest("noscript, .sr, .skip, .one-by-one, svg")) continue;
		const target = e.matches("input[type=checkbox], input[type=radio]") ? (e.closest("label") ?? e) : e;
		const high = Math.max(...[...target.getClientRects()].map(r => r.height));
		if (high < 43.5) wrong.add(target.tagName.toLowerCase() + "." + target.className + " “" +
			target.textContent.trim().slice(0, 20) + "” is " + high.toFixed(0) + " px high");
	}
	return [...wrong].slice(0, 12).join("\n");
})()`
