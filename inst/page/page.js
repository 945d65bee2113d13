// The page's own script: sends acts to R, lays curves over the picture, and moves what is pulled. It computes nothing that is
// claimed: numbers come from R.
(function () {
  "use strict";
  const $ = (id) => document.getElementById(id);
  const svgName = "http://www.w3.org/2000/svg";
  const make = (name, attributes, parent) => {
    const node = document.createElementNS(svgName, name);
    for (const key in attributes) node.setAttribute(key, attributes[key]);
    if (parent) parent.appendChild(node);
    return node;
  };
  const tell = (name, value) => Shiny.setInputValue(name, value, { priority: "event" });
  let nonce = 0;

  // Acts -------------------------------------------------------------------------------------------------------------------

  const valueOf = (id) => {
    const field = $(id);
    if (!field) return null;
    return field.type === "checkbox" ? field.checked : field.value;
  };
  const act = (name, given) => tell("act", { act: name, given: given || {}, nonce: ++nonce });
  const actOf = (node) => {
    const given = JSON.parse(node.dataset.arguments || "{}");
    for (const id of (node.dataset.from || "").split(" ")) if (id) given[id] = valueOf(id);
    act(node.dataset.act, given);
  };
  document.addEventListener("click", (event) => {
    const node = event.target.closest("button[data-act]");
    if (node && !node.disabled) actOf(node);
  });
  document.addEventListener("change", (event) => {
    const node = event.target;
    if (node.matches("input[data-act]")) actOf(node);
    if (node.dataset.start) act("start", { values: { [node.dataset.start]: node.value } });
    if (node.dataset.choose) act("choose", { label: node.dataset.choose });
    if (node.dataset.pull) endPull(node);
    if (node.id === "components") tell("components", node.checked);
    if (node.id === "criterion") tellCriterion(node);
  });
  document.addEventListener("keydown", (event) => {
    const node = event.target;
    if (event.key === "Enter" && node.dataset && node.dataset.enter) { event.preventDefault(); $(node.dataset.enter).click(); }
    if (event.key === "Enter" && node.matches && node.matches("input[type=text]") && !node.dataset.enter && !node.dataset.start) {
      const button = node.closest(".row-of-fields") && node.closest(".row-of-fields").querySelector("button[data-act]");
      if (button && button.dataset.from && button.dataset.from.split(" ").includes(node.id)) { event.preventDefault(); button.click(); }
    }
    if (event.key === "Enter" && node.id === "model" && (event.ctrlKey || event.metaKey)) { event.preventDefault(); settleModel(); }
    const typing = node.matches && node.matches("input[type=text], textarea");
    if ((event.ctrlKey || event.metaKey) && event.key.toLowerCase() === "z" && !typing) { event.preventDefault(); act(event.shiftKey ? "redo" : "undo"); }
  });
  const tellCriterion = (node) => {
    const option = node.selectedOptions[0];
    $("criterion-assumes").textContent = option.dataset.assumes;
    $("criterion-details").value = option.dataset.details;
  };

  // A file that is dropped anywhere goes the way of one that was chosen.
  const upload = (files) => {
    $("file").files = files;
    $("file").dispatchEvent(new Event("change", { bubbles: true }));
  };
  document.addEventListener("dragover", (event) => { event.preventDefault(); $("picture-frame").classList.add("dropping"); });
  document.addEventListener("dragleave", () => $("picture-frame").classList.remove("dropping"));
  document.addEventListener("drop", (event) => {
    event.preventDefault();
    $("picture-frame").classList.remove("dropping");
    if (event.dataTransfer.files.length) upload(event.dataTransfer.files);
  });

  // The model, read while it is typed -----------------------------------------------------------------------------------------

  let typed = "", typingTimer = null, settleTimer = null, settled = "";
  const settleModel = () => {
    clearTimeout(settleTimer);
    const text = $("model").value;
    if (text.trim() === "" || text === settled) return;
    settled = text;
    act("model", { model: text });
  };
  // as high as the model is long
  const fitModel = () => { const node = $("model"); node.style.height = "auto"; node.style.height = Math.min(node.scrollHeight + 2, 360) + "px"; };
  document.addEventListener("input", (event) => {
    const node = event.target;
    if (node.id === "model") {
      fitModel();
      clearTimeout(typingTimer); clearTimeout(settleTimer);
      typingTimer = setTimeout(() => tell("typing", { model: node.value, at: node.selectionStart, nonce: ++nonce }), 120);
    }
    if (node.id === "condition") {
      clearTimeout(typingTimer);
      typingTimer = setTimeout(() => tell("typing_condition", { text: node.value, nonce: ++nonce }), 120);
    }
    if (node.dataset && node.dataset.pull) pull(node);
  });
  document.addEventListener("focusout", (event) => { if (event.target.id === "model") settleModel(); });

  // Pulling a start -------------------------------------------------------------------------------------------------------------

  const pullValue = (node) => {
    const low = parseFloat(node.dataset.low), high = parseFloat(node.dataset.high), share = node.value / node.max;
    return node.dataset.log ? low * Math.pow(high / low, share) : low + share * (high - low);
  };
  let awaited = null, next = null;
  window.pullTimes = [];
  const sendPull = (values, handle) => {
    awaited = { nonce: ++nonce, since: performance.now() };
    tell("pull", { values: values, handle: handle || null, nonce: awaited.nonce });
  };
  const pull = (node) => {
    const value = pullValue(node);
    const field = $("start-" + node.dataset.pull.replace(/\s+/g, "_"));
    if (field) field.value = Number(value.toPrecision(5));
    node.setAttribute("aria-valuetext", value.toPrecision(4));
    const values = { [node.dataset.pull]: value };
    if (awaited && performance.now() - awaited.since < 1000) next = values; else sendPull(values);
  };
  const endPull = (node) => act("pulled", { values: { [node.dataset.pull]: pullValue(node) } });
  const pulled = (number) => {
    if (!awaited || number !== awaited.nonce) return;
    const since = awaited.since;
    requestAnimationFrame(() => window.pullTimes.push(performance.now() - since));
    awaited = null;
    if (next) { const values = next; next = null; sendPull(values.handle ? {} : values, values.handle); }
  };

  // The picture -----------------------------------------------------------------------------------------------------------------

  let panels = [], points = { x: [], y: [], row: [], panel: [], out: [], text: [] }, layers = {}, residuals = null, handles = [], picked = [];
  const frame = () => { const box = $("picture-frame").getBoundingClientRect(); return { w: box.width, h: box.height }; };
  const toScreen = (panel, x, y) => {
    const p = panels[panel], f = frame();
    return [
      f.w * (p.left + (p.right - p.left) * (x - p.x_from) / (p.x_to - p.x_from)),
      f.h * (p.bottom + (p.top - p.bottom) * (y - p.y_from) / (p.y_to - p.y_from))
    ];
  };
  const toData = (panel, sx, sy) => {
    const p = panels[panel], f = frame();
    return [
      p.x_from + (p.x_to - p.x_from) * (sx / f.w - p.left) / (p.right - p.left),
      p.y_from + (p.y_to - p.y_from) * (sy / f.h - p.bottom) / (p.top - p.bottom)
    ];
  };
  const panelAt = (sx, sy) => {
    const f = frame();
    return panels.findIndex((p) => sx >= p.left * f.w && sx <= p.right * f.w && sy >= p.top * f.h && sy <= p.bottom * f.h);
  };
  const path = (panel, line) => {
    let d = "", pen = "M";
    for (let i = 0; i < line.x.length; i++) {
      if (line.y[i] === null || line.x[i] === null) { pen = "M"; continue; }
      const s = toScreen(panel, line.x[i], line.y[i]);
      d += pen + s[0].toFixed(1) + " " + Math.max(-1e4, Math.min(1e4, s[1])).toFixed(1);
      pen = "L";
    }
    return d;
  };
  const group = (id) => $("layer-" + id) || make("g", { id: "layer-" + id }, $("overlay"));
  const drawLayer = (name) => {
    const node = group(name);
    node.textContent = "";
    const layer = layers[name];
    if (!layer || panels.length === 0) return;
    layer.lines.forEach((line) => {
      if (line.panel >= panels.length) return;
      make("path", { d: path(line.panel, line), class: "curve " + layer.kind, "clip-path": "url(#panel-" + line.panel + ")" }, node);
    });
    if (layer.dots) layer.dots.x.forEach((x, i) => {
      const s = toScreen(0, x, layer.dots.y[i]);
      make("circle", { cx: s[0], cy: s[1], r: 3.5, class: "fitted " + layer.kind, "clip-path": "url(#panel-0)" }, node);
    });
  };
  const drawClips = () => {
    const f = frame(), defs = $("clips") || make("defs", { id: "clips" }, $("overlay"));
    defs.textContent = "";
    panels.forEach((p, i) => make("rect", { x: p.left * f.w, y: p.top * f.h, width: (p.right - p.left) * f.w, height: (p.bottom - p.top) * f.h }, make("clipPath", { id: "panel-" + i }, defs)));
  };
  const drawResiduals = () => {
    const strip = $("residual-strip");
    strip.textContent = "";
    if (!residuals || panels.length === 0) return;
    const box = strip.getBoundingClientRect(), p = panels[0], f = frame(), middle = box.height / 2, room = middle - 8;
    const all = panels.length === 1 ? (i) => toScreen(0, residuals.x[i], 0)[0] : (i) => f.w * (p.left + (1 - 2 * p.left) * i / Math.max(1, residuals.x.length - 1));
    make("line", { x1: p.left * f.w, x2: Math.max(...panels.map((q) => q.right)) * f.w, y1: middle, y2: middle, class: "zero" }, strip);
    const text = (y, label) => { make("text", { x: p.left * f.w - 6, y: y, "text-anchor": "end", class: "strip-text" }, strip).textContent = label; };
    text(14, "+" + residuals.most); text(middle + 4, "residual"); text(box.height - 5, "\u2212" + residuals.most);
    make("text", { x: Math.max(...panels.map((q) => q.right)) * f.w, y: 12, "text-anchor": "end", class: "strip-text", id: "residuals-of" }, strip).textContent = "residuals of " + residuals.of;
    strip.setAttribute("aria-label", "Residuals of " + residuals.of + " along the axis, from -" + residuals.most + " to " + residuals.most);
    let d = "";
    for (let i = 0; i < residuals.x.length; i++) {
      if (residuals.share[i] === null) continue;
      d += "M" + (all(i) - 1.8).toFixed(1) + " " + (middle - room * residuals.share[i]).toFixed(1) + "h3.6v3.6h-3.6z";
    }
    make("path", { d: d, class: "residual" }, strip);
  };
  const drawHandles = () => {
    const node = group("handles");
    node.textContent = "";
    if (panels.length !== 1) return;
    handles.forEach((h) => {
      const s = toScreen(0, h.x, h.y), f = frame(), p = panels[0];
      const x = Math.max(p.left * f.w, Math.min(p.right * f.w, s[0])), y = Math.max(p.top * f.h, Math.min(p.bottom * f.h, s[1]));
      const circle = make("circle", { cx: x, cy: y, r: 8, class: "handle", id: "handle-" + h.id, tabindex: 0, role: "slider", "aria-label": "Handle, " + h.label, "aria-valuetext": h.said, "aria-valuenow": h.y }, node);
      circle.dataset.handle = h.id;
    });
  };
  const drawPicked = () => {
    const node = group("picked");
    node.textContent = "";
    picked.forEach((row) => {
      const i = points.row.indexOf(row);
      if (i >= 0 && panels.length) { const s = toScreen(points.panel[i], points.x[i], points.y[i]); make("circle", { cx: s[0], cy: s[1], r: 7, class: "picked" }, node); }
    });
  };
  // Where a reading is in the window; NaN where it is not drawn.
  window.tundrelPlace = (row) => {
    const i = points.row.indexOf(row), box = $("picture-frame").getBoundingClientRect();
    if (i < 0) return [NaN, NaN];
    const s = toScreen(points.panel[i], points.x[i], points.y[i]);
    return [box.left + s[0], box.top + s[1]];
  };
  const drawAll = () => { drawClips(); Object.keys(layers).forEach(drawLayer); drawResiduals(); drawHandles(); drawPicked(); };

  // Hover, click, sweep, and handles.
  const nearest = (sx, sy) => {
    let best = -1, least = 15 * 15;
    for (let i = 0; i < points.x.length; i++) {
      const s = toScreen(points.panel[i], points.x[i], points.y[i]), d = (s[0] - sx) ** 2 + (s[1] - sy) ** 2;
      if (d < least) { least = d; best = i; }
    }
    return best;
  };
  const place = (event) => { const box = $("picture-frame").getBoundingClientRect(); return [event.clientX - box.left, event.clientY - box.top]; };
  const note = (i, sx, sy) => {
    const node = $("note");
    if (i < 0) { node.style.visibility = "hidden"; return; }
    node.textContent = points.text[i];
    node.style.left = Math.min(sx + 12, frame().w - 160) + "px"; node.style.top = (sy + 12) + "px"; node.style.visibility = "visible";
  };
  let sweep = null, held = null;
  const moveHandle = (id, sx, sy, last) => {
    const d = toData(0, sx, sy), given = { id: id, x: d[0], y: d[1] };
    if (last) { act("handle", given); return; }
    if (awaited && performance.now() - awaited.since < 1000) next = { handle: given }; else sendPull({}, given);
  };
  const begin = () => {
    const overlay = $("overlay");
    overlay.addEventListener("pointerdown", (event) => {
      const s = place(event);
      overlay.setPointerCapture(event.pointerId);
      if (event.target.dataset && event.target.dataset.handle) { held = event.target.dataset.handle; event.target.focus(); return; }
      sweep = { from: s, to: s };
    });
    overlay.addEventListener("pointermove", (event) => {
      const s = place(event);
      if (held) { moveHandle(held, s[0], s[1], false); return; }
      if (sweep) {
        sweep.to = s;
        const node = group("sweep"); node.textContent = "";
        make("rect", { x: Math.min(sweep.from[0], s[0]), y: Math.min(sweep.from[1], s[1]), width: Math.abs(s[0] - sweep.from[0]), height: Math.abs(s[1] - sweep.from[1]), class: "sweep" }, node);
        return;
      }
      if (panels.length) note(nearest(s[0], s[1]), s[0], s[1]);
    });
    overlay.addEventListener("pointerup", (event) => {
      const s = place(event);
      if (held) { moveHandle(held, s[0], s[1], true); held = null; return; }
      if (!sweep || panels.length === 0) { sweep = null; return; }
      const from = sweep.from; sweep = null; group("sweep").textContent = "";
      if (Math.hypot(s[0] - from[0], s[1] - from[1]) < 5) {
        const i = nearest(s[0], s[1]);
        if (i >= 0) tell("picked", { row: points.row[i], nonce: ++nonce });
        return;
      }
      const panel = panelAt(from[0], from[1]);
      if (panel < 0) return;
      const a = toData(panel, from[0], from[1]), b = toData(panel, s[0], s[1]);
      tell("picked", { panel: panel, x: [Math.min(a[0], b[0]), Math.max(a[0], b[0])], y: [Math.min(a[1], b[1]), Math.max(a[1], b[1])], nonce: ++nonce });
    });
    overlay.addEventListener("pointerleave", () => note(-1));
    overlay.addEventListener("keydown", (event) => {
      const id = event.target.dataset && event.target.dataset.handle;
      const step = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] }[event.key];
      if (!id || !step) return;
      event.preventDefault();
      const far = event.shiftKey ? 20 : 4;
      moveHandle(id, parseFloat(event.target.getAttribute("cx")) + far * step[0], parseFloat(event.target.getAttribute("cy")) + far * step[1], true);
    });
  };

  // What R sends ------------------------------------------------------------------------------------------------------------------

  const said = (step, text) => { const node = $("said-" + step); if (node) node.textContent = text || ""; };
  const size = () => {
    const box = $("picture-frame").getBoundingClientRect();
    return { width: Math.round(box.width), height: Math.round(box.height), ratio: Math.min(2, window.devicePixelRatio || 1) };
  };
  const receive = {
    html: (m) => {
      const node = $(m.id), active = document.activeElement, inside = active && active.id && node.contains(active) ? active.id : null;
      const range = inside && active.selectionStart !== undefined && active.type === "text" ? [active.selectionStart, active.selectionEnd] : null;
      const open = Array.from(node.querySelectorAll("details")).map((d) => d.open);
      const scrolled = node.firstElementChild ? node.firstElementChild.scrollTop : 0;
      node.innerHTML = m.html;
      Array.from(node.querySelectorAll("details")).forEach((d, i) => { if (open[i]) d.open = true; });
      if (node.firstElementChild) node.firstElementChild.scrollTop = scrolled;
      if (inside && $(inside)) { $(inside).focus({ preventScroll: true }); if (range) try { $(inside).setSelectionRange(range[0], range[1]); } catch (e) { /* no text field any more */ } }
    },
    text: (m) => { const node = $(m.id); if (node) node.textContent = m.text; },
    value: (m) => { const node = $(m.id); if (node && document.activeElement !== node) { node.value = m.value; if (m.id === "model") { settled = m.value; fitModel(); } } },
    starts: (m) => {
      for (const name in m.values) {
        const one = m.values[name], id = name.replace(/\s+/g, "_"), field = $("start-" + id), slider = $("pull-" + id);
        if (field && document.activeElement !== field) field.value = one.text;
        if (slider && !slider.matches(":active")) { slider.value = one.step; slider.setAttribute("aria-valuetext", one.said); }
      }
    },
    said: (m) => said(m.step, m.text),
    take_over: (m) => $(m.id).click(),
    clear: (m) => m.ids.forEach((id) => { if ($(id)) $(id).value = ""; }),
    disabled: (m) => { const node = $(m.id); if (node) node.disabled = m.is; },
    hidden: (m) => { const node = $(m.id); if (node) node.hidden = m.is; },
    picture: (m) => { panels = m.panels; points = m.points; $("picture").src = m.uri; $("picture").alt = m.alt; drawAll(); window.tundrelStarted = window.tundrelStarted || performance.now(); },
    layer: (m) => { if (m.lines || m.dots) layers[m.name] = { kind: m.kind, lines: m.lines || [], dots: m.dots }; else delete layers[m.name]; drawLayer(m.name); },
    residuals: (m) => { residuals = m.share ? m : null; drawResiduals(); },
    handles: (m) => { handles = m.handles; if (!held) drawHandles(); },
    picked: (m) => { picked = m.rows; drawPicked(); if ($("leave-rows")) $("leave-rows").value = m.text; },
    pulled: (m) => {
      $("value").textContent = m.value;
      for (const name in m.values || {}) { const field = $("start-" + name.replace(/\s+/g, "_")); if (field && document.activeElement !== field) field.value = m.values[name]; }
      pulled(m.nonce);
    },
    settle: (m) => {
      clearTimeout(settleTimer);
      if ($("model").value === m.model) settleTimer = setTimeout(settleModel, 500);
    }
  };
  jQuery(document).on("shiny:connected", () => {
    for (const name in receive) Shiny.addCustomMessageHandler(name, receive[name]);
    begin();
    tell("size", size());
    window.tundrelReady = true;
  });
  jQuery(document).on("shiny:disconnected", () => { $("lost").hidden = false; });
  let resizing = null;
  window.addEventListener("resize", () => { drawAll(); clearTimeout(resizing); resizing = setTimeout(() => tell("size", size()), 250); });
})();
