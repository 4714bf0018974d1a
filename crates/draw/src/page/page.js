"use strict";
(() => {
  const data = JSON.parse(document.getElementById("data").textContent);
  const root = document.documentElement;
  const byId = (id) => document.getElementById(id);
  const canvas = byId("map");
  const brush = canvas.getContext("2d");
  const POINT = 0;
  const LINE = 1;
  const POLYGON = 2;
  const ROWS_AT_ONCE = 200;
  const NEAR_POINT = 10;
  const NEAR_LINE = 7;

  /** An element with attributes and what is in it; texts are never read as markup. */
  const element = (name, attributes = {}, ...inside) => {
    const made = document.createElement(name);
    for (const [key, value] of Object.entries(attributes)) {
      if (key.startsWith("on")) made.addEventListener(key.slice(2), value);
      else if (key === "style") Object.assign(made.style, value);
      else if (value === true) made.setAttribute(key, "");
      else if (value !== false) made.setAttribute(key, value);
    }
    made.append(...inside);
    return made;
  };
  /** Capital letters and accents make no difference in a search. */
  const folded = (text) => text.normalize("NFD").replace(/\p{M}/gu, "").toLowerCase();
  const counted = (n, what) => `${n.toLocaleString("en-US")} ${what}${n === 1 ? "" : "s"}`;

  // What is drawn, with bounds, so that what lies outside of the frame costs nothing.
  const layers = data.layers.map((layer, number) => {
    const marks = (layer.marks || []).map(([color, row, kind, ...parts]) => {
      const bounds = [Infinity, Infinity, -Infinity, -Infinity];
      for (const part of parts) {
        for (let i = 0; i < part.length; i += 2) {
          bounds[0] = Math.min(bounds[0], part[i]);
          bounds[1] = Math.min(bounds[1], part[i + 1]);
          bounds[2] = Math.max(bounds[2], part[i]);
          bounds[3] = Math.max(bounds[3], part[i + 1]);
        }
      }
      return { color, row, kind, parts, bounds };
    });
    const marksOfRow = new Map();
    for (const mark of marks) {
      if (!marksOfRow.has(mark.row)) marksOfRow.set(mark.row, []);
      marksOfRow.get(mark.row).push(mark);
    }
    const rows = layer.cells ? layer.cells.length : 0;
    const searched = (layer.cells || []).map((cells) => folded(cells.join("\u0001")));
    const image = layer.picture ? new Image() : null;
    if (image) {
      image.addEventListener("load", () => redraw());
      image.src = layer.picture.address;
    }
    return { ...layer, number, marks, marksOfRow, rows, searched, image, shown: true, hidden: new Set(), fits: null, fitting: rows };
  });
  const hasPicture = layers.some((layer) => layer.image);

  // Where one looks: the middle in the plane, and units of the plane that a pixel is.
  const look = { x: 0, y: 0, unit: 1 };
  let size = [1, 1];
  const [west, south, east, north] = data.window;
  const wholeUnit = () => Math.max((east - west) * 1.06 / size[0], (north - south) * 1.06 / size[1]) || 1;
  const limits = () => [wholeUnit() * 1e-6, wholeUnit() * 4];
  const toPixel = (x, y) => [(x - look.x) / look.unit + size[0] / 2, size[1] / 2 - (y - look.y) / look.unit];
  const toPlane = (u, v) => [look.x + (u - size[0] / 2) * look.unit, look.y + (size[1] / 2 - v) * look.unit];

  let waiting = false;
  const redraw = () => {
    if (waiting) return;
    waiting = true;
    requestAnimationFrame(() => {
      waiting = false;
      paint();
    });
  };
  let remembering = 0;
  const moved = () => {
    redraw();
    clearTimeout(remembering);
    remembering = setTimeout(remember, 250);
  };
  const everything = () => {
    Object.assign(look, { x: (west + east) / 2, y: (south + north) / 2, unit: wholeUnit() });
    moved();
  };
  /** Closer or farther by a factor, with a pixel that stays where it is. */
  const nearer = (factor, [u, v] = [size[0] / 2, size[1] / 2]) => {
    const [x, y] = toPlane(u, v);
    const [least, most] = limits();
    look.unit = Math.min(most, Math.max(least, look.unit / factor));
    look.x = x - (u - size[0] / 2) * look.unit;
    look.y = y + (v - size[1] / 2) * look.unit;
    moved();
  };
  const shift = (u, v) => {
    look.x += u * look.unit;
    look.y -= v * look.unit;
    moved();
  };

  // The address of the page holds the view, so that a link leads there.
  const address = () => {
    const digits = Math.max(0, Math.min(9, Math.ceil(1 - Math.log10(look.unit))));
    const parts = [`x=${look.x.toFixed(digits)}`, `y=${look.y.toFixed(digits)}`, `wide=${(look.unit * size[0]).toPrecision(6)}`];
    if (choice.list.length) {
      const { layer, row } = choice.list[choice.at];
      parts.push(`row=${layer.number}.${row}`);
    }
    return `#${parts.join("&")}`;
  };
  const remember = () => {
    byId("here").href = address();
    try {
      history.replaceState(null, "", address());
    } catch {
      // Some browsers allow no such change for a page from a file; the link below the map still leads there.
    }
  };
  const recall = () => {
    const said = new URLSearchParams(location.hash.slice(1));
    const [x, y, wide] = ["x", "y", "wide"].map((name) => parseFloat(said.get(name)));
    const isWhole = [x, y, wide].every(Number.isFinite) && wide > 0;
    if (isWhole) {
      const [least, most] = limits();
      Object.assign(look, { x, y, unit: Math.min(most, Math.max(least, wide / size[0])) });
      moved();
    }
    const row = /^(\d+)\.(\d+)$/.exec(said.get("row") || "");
    const layer = row && layers[Number(row[1])];
    if (layer && Number(row[2]) < layer.rows) choose([{ layer, row: Number(row[2]) }]);
    return isWhole;
  };

  // What is chosen: several rows where their marks lie on each other.
  const choice = { list: [], at: 0 };
  const choose = (list, at = 0) => {
    Object.assign(choice, { list, at });
    showRecord();
    for (const layer of layers) if (layer.markRow) layer.markRow();
    moved();
  };
  const isChosen = (layer, row) => choice.list.length > 0 && choice.list[choice.at].layer === layer && choice.list[choice.at].row === row;
  const showRecord = () => {
    const record = byId("record");
    if (!choice.list.length) {
      record.replaceChildren(element("p", { class: "hint" }, "Nothing here."));
      return;
    }
    const { layer, row } = choice.list[choice.at];
    const fields = element("dl");
    layer.columns.forEach((column, i) => {
      if (layer.cells[row][i] !== "") fields.append(element("dt", {}, column), element("dd", {}, layer.cells[row][i]));
    });
    const first = (layer.marksOfRow.get(row) || [])[0];
    if (first && first.kind === POINT) {
      data.axes.names.forEach((name, i) => fields.append(element("dt", {}, `${name} on the map`), element("dd", {}, written(first.parts[0][i]))));
    }
    const place = layer.places[row];
    if (place) {
      const words = `${place[1].toFixed(6)}, ${place[0].toFixed(6)}`;
      const what = first && first.kind === POINT ? "latitude, longitude (WGS 84)" : "a place of it (WGS 84)";
      fields.append(element("dt", {}, what), element("dd", {}, element("a", { href: `geo:${place[1].toFixed(6)},${place[0].toFixed(6)}` }, words)));
    }
    const parts = [element("h3", {}, `${layer.name}, row ${layer.numbers[row]}`), fields];
    if (layer.reasons[row]) parts.push(element("p", {}, `Not on the map: ${layer.reasons[row]}`));
    if (choice.list.length > 1) {
      const next = () => choose(choice.list, (choice.at + 1) % choice.list.length);
      parts.push(element("p", {}, `${choice.at + 1} of ${choice.list.length} at this place `, element("button", { type: "button", onclick: next }, "Next one")));
    }
    if (first) parts.push(element("p", {}, element("button", { type: "button", onclick: () => goTo(layer, row) }, "Show on the map")));
    record.replaceChildren(...parts);
  };
  const goTo = (layer, row) => {
    const marks = layer.marksOfRow.get(row) || [];
    if (!marks.length) return;
    const bounds = marks.map((mark) => mark.bounds).reduce((a, b) => [Math.min(a[0], b[0]), Math.min(a[1], b[1]), Math.max(a[2], b[2]), Math.max(a[3], b[3])]);
    const needed = Math.max((bounds[2] - bounds[0]) / size[0], (bounds[3] - bounds[1]) / size[1]) * 1.3;
    look.x = (bounds[0] + bounds[2]) / 2;
    look.y = (bounds[1] + bounds[3]) / 2;
    look.unit = Math.max(Math.min(look.unit, wholeUnit() / 8), needed, limits()[0]);
    moved();
  };

  // Painting.
  const colorOf = (name) => getComputedStyle(root).getPropertyValue(name).trim();
  const isSeen = (bounds, frame, room) =>
    bounds[2] >= frame[0] - room && bounds[0] <= frame[2] + room && bounds[3] >= frame[1] - room && bounds[1] <= frame[3] + room;
  const isOn = (layer, mark) => layer.shown && !layer.hidden.has(mark.color);
  const isFitting = (layer, mark) => !layer.fits || layer.fits[mark.row] === 1;
  /** A line through places; those that fall onto one pixel are one. */
  const trace = (part, isClosed) => {
    let [lastU, lastV] = toPixel(part[0], part[1]);
    brush.moveTo(lastU, lastV);
    for (let i = 2; i < part.length; i += 2) {
      const [u, v] = toPixel(part[i], part[i + 1]);
      if (Math.abs(u - lastU) + Math.abs(v - lastV) < 0.6 && i + 2 < part.length) continue;
      brush.lineTo(u, v);
      [lastU, lastV] = [u, v];
    }
    if (isClosed) brush.closePath();
  };
  const paint = () => {
    const scale = window.devicePixelRatio || 1;
    const wanted = [Math.max(1, Math.round(size[0] * scale)), Math.max(1, Math.round(size[1] * scale))];
    if (canvas.width !== wanted[0] || canvas.height !== wanted[1]) [canvas.width, canvas.height] = wanted;
    brush.setTransform(scale, 0, 0, scale, 0, 0);
    const colors = { paper: colorOf("--paper"), ink: colorOf("--ink"), pale: colorOf("--pale"), halo: colorOf("--halo"), accent: colorOf("--accent"), edge: root.dataset.shade === "dark" ? colorOf("--ink") : colorOf("--paper") };
    brush.globalAlpha = 1;
    brush.fillStyle = colors.paper;
    brush.fillRect(0, 0, ...size);
    const [left, top] = toPlane(0, 0);
    const [right, bottom] = toPlane(...size);
    const frame = [left, bottom, right, top];
    for (const layer of layers) if (layer.image && layer.shown) paintPicture(layer);
    paintGrid(frame, colors);
    for (const layer of layers) if (layer.shown) paintMarks(layer, frame, colors);
    paintChoice(colors);
    paintLabels(frame, colors);
    if (Math.abs(data.north) > 0.5) paintNorth(colors);
    if (document.activeElement === canvas && canvas.matches(":focus-visible")) {
      brush.strokeStyle = colors.accent;
      brush.lineWidth = 1.5;
      brush.beginPath();
      for (const [u, v] of [[1, 0], [0, 1]]) {
        brush.moveTo(size[0] / 2 - 9 * u, size[1] / 2 - 9 * v);
        brush.lineTo(size[0] / 2 + 9 * u, size[1] / 2 + 9 * v);
      }
      brush.stroke();
    }
    showLength();
  };
  const paintPicture = (layer) => {
    if (!layer.image.complete || !layer.image.naturalWidth) return;
    const [w, s, e, n] = layer.picture.bounds;
    const [u, v] = toPixel(w, n);
    brush.imageSmoothingEnabled = (e - w) / look.unit < layer.image.naturalWidth;
    brush.drawImage(layer.image, u, v, (e - w) / look.unit, (n - s) / look.unit);
  };
  const paintGrid = ([left, bottom, right, top], colors) => {
    brush.strokeStyle = colors.ink;
    brush.fillStyle = colors.pale;
    brush.lineWidth = 0.6;
    brush.font = "11px system-ui, sans-serif";
    const lines = data.axes.areTheGrid ? roundLines([left, bottom, right, top]) : data.grid;
    brush.globalAlpha = 0.25;
    brush.beginPath();
    for (const line of lines) if (line.part.length > 3) trace(line.part, false);
    brush.stroke();
    brush.globalAlpha = 1;
    for (const line of lines) label(line, colors);
  };
  /** The number of a line, where the line meets the lower or the left edge. */
  const label = (line, colors) => {
    const axis = line.upright ? 1 : 0;
    const edge = line.upright ? size[1] - 0.01 : 0.01;
    for (let i = 2; i < line.part.length; i += 2) {
      const a = toPixel(line.part[i - 2], line.part[i - 1]);
      const b = toPixel(line.part[i], line.part[i + 1]);
      if (a[axis] === b[axis] || (a[axis] - edge) * (b[axis] - edge) > 0) continue;
      const there = a[1 - axis] + (b[1 - axis] - a[1 - axis]) * (edge - a[axis]) / (b[axis] - a[axis]);
      const [u, v] = line.upright ? [there + 3, size[1] - 4] : [4, there - 3];
      if (u < 0 || v < 12 || u > size[0] - 20 || v > size[1]) return;
      brush.strokeStyle = colors.halo;
      brush.lineWidth = 3;
      brush.strokeText(line.label, u, v);
      brush.fillText(line.label, u, v);
      return;
    }
  };
  const roundLength = (most) => {
    const power = 10 ** Math.floor(Math.log10(most));
    return [5, 2, 1].map((n) => n * power).find((n) => n <= most) || power;
  };
  const roundLines = ([left, bottom, right, top]) => {
    const step = roundLength(Math.max(right - left, top - bottom) / 4);
    const digits = Math.max(0, -Math.floor(Math.log10(step) + 1e-9));
    const sign = data.axes.unit === "°" ? "°" : "";
    const lines = [];
    const numbers = (low, high, make) => {
      for (let i = Math.ceil(low / step); i * step <= high; i += 1) lines.push(make(i * step, `${(i * step).toFixed(digits)}${sign}`));
    };
    numbers(left, right, (x, words) => ({ part: [x, bottom, x, top], label: words, upright: true }));
    numbers(bottom, top, (y, words) => ({ part: [left, y, right, y], label: words, upright: false }));
    return lines;
  };
  const paintMarks = (layer, frame, colors) => {
    const room = 12 * look.unit;
    const seen = layer.marks.filter((mark) => isOn(layer, mark) && isSeen(mark.bounds, frame, room));
    brush.lineJoin = "round";
    brush.lineCap = "round";
    for (const kind of [POLYGON, LINE]) {
      for (const mark of seen) {
        if (mark.kind !== kind) continue;
        const strength = isFitting(layer, mark) ? 1 : 0.15;
        brush.beginPath();
        for (const part of mark.parts) trace(part, kind === POLYGON);
        brush.strokeStyle = layer.colors[mark.color];
        if (kind === POLYGON) {
          brush.fillStyle = layer.colors[mark.color];
          brush.globalAlpha = strength * (hasPicture ? 0.12 : 0.3);
          brush.fill("evenodd");
        }
        const wide = kind === POLYGON ? 1.3 : 2;
        // On dark paper dark lines have a light seam.
        if (root.dataset.shade === "dark") {
          brush.globalAlpha = strength * 0.5;
          brush.lineWidth = wide + 1.6;
          brush.strokeStyle = colors.edge;
          brush.stroke();
          brush.strokeStyle = layer.colors[mark.color];
        }
        brush.globalAlpha = strength;
        brush.lineWidth = wide;
        brush.stroke();
      }
    }
    const points = seen.filter((mark) => mark.kind === POINT);
    const radius = points.length > 2000 ? 2.2 : points.length > 300 ? 3.2 : 5;
    // Points of one colour are one path: thousands of them move with the pointer.
    for (const fits of [false, true]) {
      for (let color = 0; color < layer.colors.length; color += 1) {
        brush.beginPath();
        let count = 0;
        for (const mark of points) {
          if (mark.color !== color || isFitting(layer, mark) !== fits) continue;
          const [u, v] = toPixel(mark.parts[0][0], mark.parts[0][1]);
          brush.moveTo(u + radius, v);
          brush.arc(u, v, radius, 0, 2 * Math.PI);
          count += 1;
        }
        if (!count) continue;
        brush.globalAlpha = fits ? 1 : 0.15;
        brush.fillStyle = layer.colors[color];
        brush.fill();
        if (radius > 2.5) {
          brush.strokeStyle = colors.edge;
          brush.lineWidth = 1;
          brush.stroke();
        }
      }
    }
    brush.globalAlpha = 1;
  };
  const paintChoice = (colors) => {
    if (!choice.list.length) return;
    const { layer, row } = choice.list[choice.at];
    for (const [width, color] of [[6, colors.paper], [3, colors.accent]]) {
      brush.strokeStyle = color;
      brush.lineWidth = width;
      brush.beginPath();
      for (const mark of layer.marksOfRow.get(row) || []) {
        if (mark.kind === POINT) {
          const [u, v] = toPixel(mark.parts[0][0], mark.parts[0][1]);
          brush.moveTo(u + 10, v);
          brush.arc(u, v, 10, 0, 2 * Math.PI);
        } else {
          for (const part of mark.parts) trace(part, mark.kind === POLYGON);
        }
      }
      brush.stroke();
    }
  };
  const paintLabels = (frame, colors) => {
    const taken = [];
    brush.font = "12px system-ui, sans-serif";
    for (const layer of layers) {
      if (!layer.labels || !layer.shown) continue;
      layer.marks.forEach((mark, i) => {
        const words = layer.labels[i];
        if (!words || taken.length > 400 || !isOn(layer, mark) || !isFitting(layer, mark) || !isSeen(mark.bounds, frame, 0)) return;
        const part = mark.parts[0];
        const half = 2 * Math.floor(part.length / 4);
        const [u, v] = mark.kind === LINE ? toPixel(part[half], part[half + 1]) : toPixel((mark.bounds[0] + mark.bounds[2]) / 2, (mark.bounds[1] + mark.bounds[3]) / 2);
        const wide = brush.measureText(words).width;
        // A line that is not much longer than its label has no room for it.
        if (mark.kind === LINE && Math.max(mark.bounds[2] - mark.bounds[0], mark.bounds[3] - mark.bounds[1]) < 1.5 * wide * look.unit) return;
        const [x, y] = mark.kind === POINT ? [u + 8, v + 4] : [u - wide / 2, v + 4];
        const box = [x - 2, y - 12, x + wide + 2, y + 4];
        if (taken.some((old) => box[0] < old[2] && old[0] < box[2] && box[1] < old[3] && old[1] < box[3])) return;
        taken.push(box);
        brush.strokeStyle = colors.halo;
        brush.lineWidth = 3;
        brush.strokeText(words, x, y);
        brush.fillStyle = colors.ink;
        brush.fillText(words, x, y);
      });
    }
  };
  const paintNorth = (colors) => {
    const turn = data.north * Math.PI / 180;
    brush.save();
    brush.translate(size[0] - 28, 30);
    brush.fillStyle = colors.halo;
    brush.beginPath();
    brush.arc(0, 0, 22, 0, 2 * Math.PI);
    brush.fill();
    brush.rotate(turn);
    brush.fillStyle = colors.ink;
    brush.beginPath();
    [[0, -17], [6, 8], [0, 4], [-6, 8]].forEach(([u, v], i) => (i ? brush.lineTo(u, v) : brush.moveTo(u, v)));
    brush.fill();
    brush.font = "600 11px system-ui, sans-serif";
    brush.fillText("N", -4, 19);
    brush.restore();
  };
  const shortNumber = (v) => String(Number(v.toPrecision(6)));
  const showLength = () => {
    byId("length").hidden = !data.metresPerUnit;
    if (!data.metresPerUnit) return;
    const perPixel = data.metresPerUnit * look.unit / (data.inFeet ? 0.3048 : 1);
    const length = roundLength(perPixel * 160);
    byId("bar").style.width = `${length / perPixel}px`;
    const words = data.inFeet
      ? length >= 10560 ? `${shortNumber(length)} ft (${(length / 5280).toFixed(1)} miles)` : `${shortNumber(length)} ft`
      : length >= 1000 ? `${shortNumber(length / 1000)} km` : length < 1 ? `${shortNumber(length * 1000)} mm` : `${shortNumber(length)} m`;
    byId("bar-words").textContent = words;
  };
  const written = (v) => `${v.toFixed(data.axes.digits)}${data.axes.unit === "°" ? "°" : data.axes.unit ? ` ${data.axes.unit}` : ""}`;

  // What is at a pixel: points before lines before areas, what lies above first.
  const isInside = (parts, u, v) => {
    let inside = false;
    for (const part of parts) {
      for (let i = 0, j = part.length - 2; i < part.length; j = i, i += 2) {
        const [a, b] = [toPixel(part[i], part[i + 1]), toPixel(part[j], part[j + 1])];
        if (a[1] > v !== b[1] > v && u < (b[0] - a[0]) * (v - a[1]) / (b[1] - a[1]) + a[0]) inside = !inside;
      }
    }
    return inside;
  };
  const distanceTo = (part, u, v) => {
    let least = Infinity;
    for (let i = 0; i + 3 < part.length; i += 2) {
      const [a, b] = [toPixel(part[i], part[i + 1]), toPixel(part[i + 2], part[i + 3])];
      const [du, dv] = [b[0] - a[0], b[1] - a[1]];
      const along = Math.max(0, Math.min(1, ((u - a[0]) * du + (v - a[1]) * dv) / (du * du + dv * dv || 1)));
      least = Math.min(least, Math.hypot(u - a[0] - along * du, v - a[1] - along * dv));
    }
    return least;
  };
  const under = (u, v) => {
    const hits = [];
    const [x, y] = toPlane(u, v);
    const room = NEAR_POINT * look.unit;
    for (const layer of [...layers].reverse()) {
      for (const mark of layer.marks) {
        if (!isOn(layer, mark) || !isFitting(layer, mark) || !layer.cells || !isSeen(mark.bounds, [x, y, x, y], room)) continue;
        let distance;
        if (mark.kind === POINT) {
          const [a, b] = toPixel(mark.parts[0][0], mark.parts[0][1]);
          distance = Math.hypot(a - u, b - v);
          if (distance > NEAR_POINT) continue;
        } else if (mark.kind === LINE) {
          distance = Math.min(...mark.parts.map((part) => distanceTo(part, u, v)));
          if (distance > NEAR_LINE) continue;
        } else {
          if (!isInside(mark.parts, u, v)) continue;
          distance = 0;
        }
        hits.push({ layer, row: mark.row, kind: mark.kind, distance });
      }
    }
    hits.sort((a, b) => a.kind - b.kind || (a.kind === POINT ? a.distance - b.distance : 0));
    const told = new Set();
    return hits.filter(({ layer, row }) => !told.has(`${layer.number}.${row}`) && told.add(`${layer.number}.${row}`));
  };

  // Mouse, pen and fingers.
  const held = new Map();
  let travelled = 0;
  const at = (event) => {
    const box = canvas.getBoundingClientRect();
    return [event.clientX - box.left - canvas.clientLeft, event.clientY - box.top - canvas.clientTop];
  };
  const spread = () => {
    const [a, b] = [...held.values()];
    return { middle: [(a[0] + b[0]) / 2, (a[1] + b[1]) / 2], apart: Math.hypot(a[0] - b[0], a[1] - b[1]) };
  };
  canvas.addEventListener("pointerdown", (event) => {
    if (event.button > 0) return;
    canvas.setPointerCapture(event.pointerId);
    if (!held.size) travelled = 0;
    held.set(event.pointerId, at(event));
    canvas.classList.add("held");
  });
  canvas.addEventListener("pointermove", (event) => {
    const now = at(event);
    const [x, y] = toPlane(...now);
    byId("pointer").textContent = `${data.axes.names[0]} ${written(x)}, ${data.axes.names[1]} ${written(y)}`;
    const before = held.get(event.pointerId);
    if (!before) return;
    if (held.size === 2) {
      const old = spread();
      held.set(event.pointerId, now);
      const fresh = spread();
      shift(old.middle[0] - fresh.middle[0], old.middle[1] - fresh.middle[1]);
      if (old.apart > 0 && fresh.apart > 0) nearer(fresh.apart / old.apart, fresh.middle);
      travelled = Infinity;
      return;
    }
    held.set(event.pointerId, now);
    travelled += Math.hypot(now[0] - before[0], now[1] - before[1]);
    if (travelled > 4) shift(before[0] - now[0], before[1] - now[1]);
  });
  const released = (event) => {
    if (!held.delete(event.pointerId)) return;
    if (!held.size) canvas.classList.remove("held");
    if (event.type === "pointerup" && !held.size && travelled <= 4) choose(under(...at(event)));
  };
  canvas.addEventListener("pointerup", released);
  canvas.addEventListener("pointercancel", released);
  canvas.addEventListener("dblclick", (event) => nearer(2, at(event)));
  canvas.addEventListener("wheel", (event) => {
    event.preventDefault();
    const lines = event.deltaMode === 1 ? 16 : event.deltaMode === 2 ? 400 : 1;
    nearer(Math.exp(-event.deltaY * lines * 0.0015), at(event));
  }, { passive: false });

  // Keys.
  const keys = {
    ArrowLeft: () => shift(-size[0] / 6, 0),
    ArrowRight: () => shift(size[0] / 6, 0),
    ArrowUp: () => shift(0, -size[1] / 6),
    ArrowDown: () => shift(0, size[1] / 6),
    "+": () => nearer(1.5),
    "=": () => nearer(1.5),
    "-": () => nearer(1 / 1.5),
    "−": () => nearer(1 / 1.5),
    0: everything,
    Home: everything,
    Enter: () => choose(under(size[0] / 2, size[1] / 2)),
    Escape: () => choose([]),
  };
  canvas.addEventListener("keydown", (event) => {
    if (event.ctrlKey || event.metaKey || event.altKey || !keys[event.key]) return;
    event.preventDefault();
    keys[event.key]();
  });
  canvas.addEventListener("focus", redraw);
  canvas.addEventListener("blur", redraw);
  byId("closer").addEventListener("click", () => nearer(1.6));
  byId("farther").addEventListener("click", () => nearer(1 / 1.6));
  byId("all").addEventListener("click", everything);

  // The key: layers, and categories among them, on and off.
  const switched = (words, sign, change) => {
    const box = element("input", { type: "checkbox", checked: true, onchange: () => {
      change(box.checked);
      redraw();
    } });
    return element("label", {}, box, sign, element("span", {}, words));
  };
  const signOf = (layer, color) => element("span", { class: `sign ${layer.form}`, style: { background: color } });
  for (const layer of [...layers].reverse()) {
    const key = layer.key;
    const noSign = element("span", { class: "sign none" });
    const many = layer.rows ? ` (${counted(layer.rows, "row")})` : "";
    const lost = Object.keys(layer.reasons || {}).length;
    const group = element("fieldset", {}, switched(layer.name + many, key.color ? signOf(layer, key.color) : noSign, (on) => { layer.shown = on; }));
    if (key.entries) {
      const kinds = element("div", { class: "kinds", role: "group", "aria-label": key.title }, element("div", { class: "hint" }, key.title));
      key.entries.forEach(([words, color], i) => {
        const change = (on) => (on ? layer.hidden.delete(i) : layer.hidden.add(i));
        kinds.append(layer.marks.length ? switched(words, signOf(layer, color), change) : element("label", {}, signOf(layer, color), element("span", {}, words)));
      });
      group.append(kinds);
    }
    if (key.range) {
      group.append(element("div", { class: "ramp", role: "img", "aria-label": `colours from ${key.range[0]} to ${key.range[1]}`, style: { background: `linear-gradient(90deg, ${key.ramp.join(", ")})` } }));
      group.append(element("div", { class: "ends" }, ...key.range.map((end) => element("span", {}, end))), element("div", { class: "under" }, key.title));
    }
    if (lost) group.append(element("div", { class: "under" }, `${counted(lost, "row")} not on the map`));
    if (layer.remark) group.append(element("div", { class: "under" }, layer.remark));
    byId("key").append(group);
  }

  // Tables: every row can be read and chosen without the map.
  for (const layer of layers) {
    if (!layer.cells) continue;
    const order = { column: -1, down: false };
    let most = ROWS_AT_ONCE;
    const summary = element("summary");
    const body = element("tbody");
    const more = element("button", { type: "button", class: "more", onclick: () => {
      most += ROWS_AT_ONCE;
      layer.fill();
    } });
    const heads = layer.columns.map((column, i) => {
      const sort = () => {
        order.down = order.column === i && !order.down;
        order.column = i;
        layer.fill();
      };
      return element("th", { scope: "col" }, element("button", { type: "button", onclick: sort }, column));
    });
    const table = element("table", {}, element("thead", {}, element("tr", {}, element("th", { scope: "col" }, "row"), ...heads)), body);
    const details = element("details", { ontoggle: () => layer.fill() }, summary, element("div", { class: "rows", tabindex: "0", role: "region", "aria-label": `rows of ${layer.name}` }, table), more);
    const compared = (a, b) => {
      const [p, q] = [layer.cells[a][order.column], layer.cells[b][order.column]];
      const [m, n] = [p === "" ? NaN : Number(p), q === "" ? NaN : Number(q)];
      const way = Number.isNaN(m) || Number.isNaN(n) ? p.localeCompare(q) : m - n;
      return (order.down ? -way : way) || a - b;
    };
    layer.fill = () => {
      summary.textContent = layer.fits ? `${layer.name}: ${layer.fitting.toLocaleString("en-US")} of ${counted(layer.rows, "row")}` : `${layer.name}: ${counted(layer.rows, "row")}`;
      if (!details.open) return;
      let rows = [...layer.cells.keys()].filter((row) => !layer.fits || layer.fits[row]);
      if (order.column >= 0) rows.sort(compared);
      heads.forEach((head, i) => head.setAttribute("aria-sort", i !== order.column ? "none" : order.down ? "descending" : "ascending"));
      more.hidden = rows.length <= most;
      more.textContent = `${counted(rows.length - most, "more row")}`;
      rows = rows.slice(0, most);
      body.replaceChildren(...rows.map((row) => {
        const show = element("button", { type: "button", "aria-label": `Show row ${layer.numbers[row]} of ${layer.name}`, onclick: () => {
          choose([{ layer, row }]);
          goTo(layer, row);
        } }, "Show");
        const line = element("tr", { "data-row": row }, element("td", {}, `${layer.numbers[row]} `, layer.marksOfRow.has(row) ? show : element("span", { title: layer.reasons[row] || "" }, "not on the map")), ...layer.cells[row].map((cell) => element("td", {}, cell)));
        line.classList.toggle("is-chosen", isChosen(layer, row));
        return line;
      }));
    };
    layer.markRow = () => {
      for (const line of body.children) line.classList.toggle("is-chosen", isChosen(layer, Number(line.dataset.row)));
    };
    byId("tables").append(details);
    layer.fill();
  }
  byId("tables").hidden = !layers.some((layer) => layer.cells);
  byId("finder").hidden = byId("tables").hidden;

  // Searching: what does not fit turns pale.
  let found = -1;
  const fitting = () => layers.flatMap((layer) => (layer.fits ? [...layer.fits.keys()].filter((row) => layer.fits[row]).map((row) => ({ layer, row })) : []));
  const search = () => {
    const words = folded(byId("words").value.trim()).split(/\s+/).filter(Boolean);
    let sum = 0;
    for (const layer of layers) {
      if (!layer.cells) continue;
      layer.fits = words.length ? Uint8Array.from(layer.searched, (text) => (words.every((word) => text.includes(word)) ? 1 : 0)) : null;
      layer.fitting = layer.fits ? layer.fits.reduce((a, b) => a + b, 0) : layer.rows;
      sum += layer.fitting;
      layer.fill();
    }
    found = -1;
    byId("found").textContent = words.length ? `${counted(sum, "row")} found` : "";
    redraw();
  };
  byId("words").addEventListener("input", search);
  byId("finder").addEventListener("submit", (event) => {
    event.preventDefault();
    const list = fitting();
    if (!list.length) return;
    found = (found + 1) % list.length;
    const { layer, row } = list[found];
    byId("found").textContent = `${found + 1} of ${counted(list.length, "row")}`;
    choose([{ layer, row }]);
    goTo(layer, row);
  });

  // Dark and light, and paper.
  const shade = (isDark) => {
    root.dataset.shade = isDark ? "dark" : "light";
    byId("shade").setAttribute("aria-pressed", String(isDark));
    redraw();
  };
  byId("shade").addEventListener("click", () => shade(root.dataset.shade !== "dark"));
  const wish = window.matchMedia("(prefers-color-scheme: dark)");
  wish.addEventListener("change", () => shade(wish.matches));
  let screenShade = false;
  window.addEventListener("beforeprint", () => {
    screenShade = root.dataset.shade === "dark";
    shade(false);
    paint();
  });
  window.addEventListener("afterprint", () => shade(screenShade));

  // A frame of another size shows the same middle at the same scale.
  let isFirst = true;
  const fit = () => {
    const now = [canvas.clientWidth, canvas.clientHeight];
    if (!now[0] || !now[1]) return;
    size = now;
    if (isFirst) {
      isFirst = false;
      everything();
      recall();
    }
    redraw();
  };
  new ResizeObserver(fit).observe(canvas);
  window.addEventListener("hashchange", recall);
  shade(wish.matches);
  fit();
})();
