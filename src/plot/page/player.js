// The player of a page that `williwaw view` writes: fields, profiles and series of one or several runs by one
// clock. All data stand in the page itself; nothing is loaded.
"use strict";

(function () {
  const page = JSON.parse(document.getElementById("data").textContent);

  // ---- data ------------------------------------------------------------------------------------------------

  function bytesOf(base64) {
    const text = atob(base64), bytes = new Uint8Array(text.length);
    for (let i = 0; i < text.length; ++i) bytes[i] = text.charCodeAt(i);
    return bytes.buffer;
  }
  const reals = (base64) => new Float64Array(bytesOf(base64));
  const singles = (base64) => new Float32Array(bytesOf(base64));
  const palettes = {
    sequential: new Uint8Array(bytesOf(page.palettes.sequential)),
    diverging: new Uint8Array(bytesOf(page.palettes.diverging)),
  };

  // One run: its axes, and for each quantity a value for every record and place.
  class Run {
    constructor(given) {
      Object.assign(this, given);
      this.times = reals(given.times);
      this.axes = given.axes.map((axis) => ({ ...axis, points: reals(axis.points), bounds: reals(axis.bounds) }));
      this.sizes = [0, 1, 2].map((a) => (a < this.axes.length ? this.axes[a].points.length : 1));
      this.places = this.sizes[0] * this.sizes[1] * this.sizes[2];
      this.quantities = given.quantities.map((q) => ({ ...q, values: singles(q.values) }));
      for (const q of this.quantities) q.range = rangeOf(q.values);
      this.outline = singles(given.outline || "");
      if (given.series) this.series = { ...given.series, rows: reals(given.series.rows) };
    }
    // The record nearest to a time; the later one half-way.
    record(time) {
      let best = 0;
      for (let n = 1; n < this.times.length; ++n)
        if (Math.abs(this.times[n] - time) <= Math.abs(this.times[best] - time)) best = n;
      return best;
    }
    value(quantity, record, place) {
      return this.quantities[quantity].values[record * this.places + place];
    }
    number(i, j, k) {
      return i + this.sizes[0] * (j + this.sizes[1] * k);
    }
    quantity(name) {
      return this.quantities.findIndex((q) => q.name === name);
    }
  }

  function rangeOf(values) {
    let low = Infinity, high = -Infinity;
    for (const v of values) {
      if (v < low) low = v;
      if (v > high) high = v;
    }
    return low <= high ? [low, high] : [0, 1];
  }

  const runs = page.runs.map((given) => new Run(given));
  const clockTimes = [...new Set(runs.flatMap((run) => [...run.times]))].sort((a, b) => a - b);
  const names = [...new Set(runs.flatMap((run) => run.quantities.map((q) => q.name)))];

  const state = {
    at: 0,             // number among clockTimes
    quantity: names[0],
    playing: false,
    speed: 1,
    range: "all",      // "all" times, "shown" time, "own" bounds
    bounds: [0, 1],
    place: null,       // pointed at, [x, y, z] in units shown
    slice: 2, level: 0,  // of three axes: which one is cut, and where
    spaceTime: false,
  };

  // ---- numbers and ticks -----------------------------------------------------------------------------------

  function text(value, digits = 6) {
    if (!Number.isFinite(value)) return "no value";
    if (value === 0) return "0";
    const size = Math.abs(value);
    if (size >= 1e6 || size < 1e-4) return value.toExponential(digits - 2).replace(/\.?0+e/, "e");
    return String(Number(value.toPrecision(digits)));
  }

  function ticksOf(low, high, wanted) {
    const span = high - low;
    if (!(span > 0)) return [low];
    const raw = span / wanted, power = Math.pow(10, Math.floor(Math.log10(raw)));
    const step = [1, 2, 5, 10].map((m) => m * power).find((s) => s >= raw * (1 - 1e-9));
    const ticks = [];
    for (let n = Math.ceil(low / step - 1e-9); n * step <= high + 1e-9 * step; ++n) ticks.push(n * step);
    return ticks;
  }

  const withSuffix = (number, unit) => (unit ? `${number} ${unit}` : number);
  const withUnit = (name, unit) => (unit ? `${name} [${unit}]` : name);

  // ---- canvases --------------------------------------------------------------------------------------------

  const ink = page.colours.ink, pale = page.colours.pale, accent = page.colours.accent;

  // A canvas in the size of its place on the page, in pixels of the screen.
  function prepare(canvas) {
    const ratio = window.devicePixelRatio || 1, width = canvas.clientWidth, height = canvas.clientHeight;
    if (canvas.width !== Math.round(width * ratio) || canvas.height !== Math.round(height * ratio)) {
      canvas.width = Math.round(width * ratio);
      canvas.height = Math.round(height * ratio);
    }
    const context = canvas.getContext("2d");
    context.setTransform(ratio, 0, 0, ratio, 0, 0);
    context.clearRect(0, 0, width, height);
    context.font = "12px system-ui, sans-serif";
    context.fillStyle = ink;
    context.strokeStyle = ink;
    context.lineWidth = 1;
    return { context, width, height, ratio };
  }

  // Axes around a box: from data to the canvas and back.
  class Frame {
    constructor(surface, box, x, y) {
      Object.assign(this, { surface, box, x, y });
    }
    toX(v) {
      return this.box.left + ((v - this.x.from) / (this.x.to - this.x.from)) * this.box.width;
    }
    toY(v) {
      return this.box.top + this.box.height - ((v - this.y.from) / (this.y.to - this.y.from)) * this.box.height;
    }
    fromX(px) {
      return this.x.from + ((px - this.box.left) / this.box.width) * (this.x.to - this.x.from);
    }
    fromY(py) {
      return this.y.from + ((this.box.top + this.box.height - py) / this.box.height) * (this.y.to - this.y.from);
    }
    holds(px, py) {
      const b = this.box;
      return px >= b.left && px <= b.left + b.width && py >= b.top && py <= b.top + b.height;
    }
    draw() {
      const { context } = this.surface, { left, top, width, height } = this.box;
      context.strokeStyle = ink;
      context.fillStyle = ink;
      context.strokeRect(left, top, width, height);
      context.textAlign = "center";
      context.textBaseline = "top";
      for (const t of ticksOf(this.x.from, this.x.to, Math.max(2, width / 90))) {
        const px = this.toX(t);
        context.beginPath();
        context.moveTo(px, top + height);
        context.lineTo(px, top + height + 4);
        context.stroke();
        context.fillText(text(t, 4), px, top + height + 6);
      }
      context.fillText(this.x.label, left + width / 2, top + height + 22);
      context.textAlign = "right";
      context.textBaseline = "middle";
      for (const t of ticksOf(this.y.from, this.y.to, Math.max(3, height / 36))) {
        const py = this.toY(t);
        context.beginPath();
        context.moveTo(left, py);
        context.lineTo(left - 4, py);
        context.stroke();
        context.fillText(text(t, 4), left - 7, py);
      }
      context.save();
      context.translate(14, top + height / 2);
      context.rotate(-Math.PI / 2);
      context.textAlign = "center";
      context.fillText(this.y.label, 0, 0);
      context.restore();
    }
    clip(draw) {
      const { context } = this.surface;
      context.save();
      context.beginPath();
      context.rect(this.box.left, this.box.top, this.box.width, this.box.height);
      context.clip();
      draw(context);
      context.restore();
    }
  }

  const extent = (axis) => ({ from: axis.bounds[0], to: axis.bounds[axis.bounds.length - 1], label: withUnit(axis.name, axis.unit) });

  // The box of a map in a canvas: equal lengths are equally long unless that leaves a thread.
  function boxFor(surface, x, y, equal) {
    const left = 64, top = 26, right = 84, bottom = 42;
    let width = surface.width - left - right, height = surface.height - top - bottom;
    const aspect = (y.to - y.from) / (x.to - x.from);
    if (equal && aspect < 8 && aspect > 1 / 8) {
      if (height > width * aspect) height = width * aspect;
      else width = height / aspect;
    }
    return { left, top, width: Math.max(width, 10), height: Math.max(height, 10) };
  }

  // Which place of an axis lies at each pixel of a stretch.
  function placesAt(bounds, from, to, pixels, downwards) {
    const result = new Int32Array(pixels);
    for (let p = 0; p < pixels; ++p) {
      const part = (p + 0.5) / pixels, at = from + (to - from) * (downwards ? 1 - part : part);
      let low = 0, high = bounds.length - 2;
      while (low < high) {
        const middle = (low + high + 1) >> 1;
        if (bounds[middle] <= at) low = middle;
        else high = middle - 1;
      }
      result[p] = low;
    }
    return result;
  }

  function nearest(points, at) {
    let best = 0;
    for (let n = 1; n < points.length; ++n)
      if (Math.abs(points[n] - at) < Math.abs(points[best] - at)) best = n;
    return best;
  }

  function colourRange(run, q, record) {
    if (state.range === "own") return state.bounds;
    const quantity = run.quantities[q];
    let range = quantity.range;
    if (state.range === "shown")
      range = rangeOf(quantity.values.subarray(record * run.places, (record + 1) * run.places));
    else
      for (const other of runs) {
        const o = other.quantity(state.quantity);
        if (o >= 0) range = [Math.min(range[0], other.quantities[o].range[0]), Math.max(range[1], other.quantities[o].range[1])];
      }
    if (quantity.signed) {
      const most = Math.max(Math.abs(range[0]), Math.abs(range[1])) || 1;
      return [-most, most];
    }
    return range[0] < range[1] ? range : [range[0] - 0.5, range[0] + 0.5];
  }

  // Fills the box of a frame by value(column of pixels, row of pixels).
  function fill(frame, value, range, palette) {
    const { context, ratio } = frame.surface, { left, top, width, height } = frame.box;
    const columns = Math.max(1, Math.round(width * ratio)), rows = Math.max(1, Math.round(height * ratio));
    const image = context.createImageData(columns, rows), pixels = image.data;
    const scale = 255 / (range[1] - range[0]);
    for (let r = 0, at = 0; r < rows; ++r)
      for (let c = 0; c < columns; ++c, at += 4) {
        const v = value(c, r);
        if (Number.isNaN(v)) {
          pixels[at] = pixels[at + 1] = pixels[at + 2] = 226;
        } else {
          const colour = 3 * Math.min(255, Math.max(0, Math.round((v - range[0]) * scale)));
          pixels[at] = palette[colour];
          pixels[at + 1] = palette[colour + 1];
          pixels[at + 2] = palette[colour + 2];
        }
        pixels[at + 3] = 255;
      }
    context.putImageData(image, Math.round(left * ratio), Math.round(top * ratio));
    return { columns, rows };
  }

  function colourBar(frame, range, palette, label) {
    const { context } = frame.surface, { left, top, width, height } = frame.box, x = left + width + 14;
    for (let n = 0; n < 256; ++n) {
      context.fillStyle = `rgb(${palette[3 * n]},${palette[3 * n + 1]},${palette[3 * n + 2]})`;
      context.fillRect(x, top + height * (1 - (n + 1) / 256), 12, height / 256 + 1);
    }
    context.strokeStyle = ink;
    context.strokeRect(x, top, 12, height);
    context.fillStyle = ink;
    context.textAlign = "left";
    context.textBaseline = "middle";
    for (const t of ticksOf(range[0], range[1], Math.max(2, height / 60)))
      context.fillText(text(t, 4), x + 16, top + height * (1 - (t - range[0]) / (range[1] - range[0])));
    context.textBaseline = "bottom";
    context.textAlign = "right";
    context.fillText(label, Math.max(x + 60, left + 60), top - 6);
  }

  // ---- one run on the page ---------------------------------------------------------------------------------

  class Panel {
    constructor(run, parent) {
      this.run = run;
      const section = document.createElement("section");
      section.className = "run";
      section.innerHTML = `<h2></h2><canvas class="field"></canvas><div class="profiles"></div>`;
      section.querySelector("h2").textContent = run.name;
      parent.append(section);
      this.canvas = section.querySelector(".field");
      this.canvas.tabIndex = 0;
      this.profiles = run.axes.length > 1 ? this.shownAxes().map(() => {
        const canvas = document.createElement("canvas");
        canvas.className = "profile";
        section.querySelector(".profiles").append(canvas);
        return canvas;
      }) : [];
      const point = (event) => {
        const box = this.canvas.getBoundingClientRect();
        this.point(event.clientX - box.left, event.clientY - box.top);
      };
      this.canvas.addEventListener("pointermove", point);
      this.canvas.addEventListener("pointerdown", point);
    }

    // The axes of what is shown: both of a plan, those that are not cut of a block.
    shownAxes() {
      const all = this.run.axes.map((_, a) => a);
      return all.length < 3 ? all : all.filter((a) => a !== state.slice);
    }

    point(px, py) {
      if (!this.frame || !this.frame.holds(px, py)) return;
      const place = state.place ? [...state.place] : this.middle();
      const [first, second] = this.shownAxes();
      place[first] = this.frame.fromX(px);
      if (second !== undefined && !state.spaceTime) place[second] = this.frame.fromY(py);
      state.place = place;
      if (state.spaceTime) goTo(nearest(clockTimes, this.frame.fromY(py)));
      else draw();
    }

    middle() {
      return this.run.axes.map((axis) => axis.points[axis.points.length >> 1]);
    }

    // The place that is pointed at, as numbers along the axes.
    cell() {
      const place = state.place || this.middle();
      const at = [0, 0, 0];
      this.run.axes.forEach((axis, a) => (at[a] = nearest(axis.points, place[a] ?? axis.points[axis.points.length >> 1])));
      if (this.run.axes.length === 3) at[state.slice] = Math.min(state.level, this.run.sizes[state.slice] - 1);
      return at;
    }

    // As high as the map is, within limits, so that a flat one leaves no empty room.
    adaptHeight() {
      let height = 430;
      if (this.run.axes.length > 1 && !state.spaceTime) {
        const [x, y] = this.shownAxes().map((a) => extent(this.run.axes[a]));
        const aspect = (y.to - y.from) / (x.to - x.from);
        if (aspect < 8 && aspect > 1 / 8) height = Math.min(560, Math.max(220, (this.canvas.clientWidth - 148) * aspect + 68));
      }
      this.canvas.style.height = `${Math.round(height)}px`;
    }

    draw() {
      this.adaptHeight();
      const run = this.run, q = run.quantity(state.quantity), surface = prepare(this.canvas);
      if (q < 0) return;
      const record = run.record(clockTimes[state.at]), quantity = run.quantities[q];
      const label = withUnit(quantity.name, quantity.unit);
      if (run.axes.length === 1 && !state.spaceTime) this.drawProfile(surface, q, record, label);
      else if (state.spaceTime) this.drawSpaceTime(surface, q, label);
      else this.drawMap(surface, q, record, label);
      surface.context.fillStyle = ink;
      surface.context.textAlign = "left";
      surface.context.textBaseline = "bottom";
      const time = run.steady ? "steady state" : `t = ${withSuffix(text(run.times[record]), run.timeUnit)}`;
      if (!state.spaceTime) surface.context.fillText(time, 64, 18);
      this.profiles.forEach((canvas, n) => this.drawThrough(canvas, this.shownAxes()[n], q, record, label));
      const at = this.cell(), value = run.value(q, record, run.number(at[0], at[1], at[2]));
      this.told = {
        place: run.axes.map((axis, a) => `${axis.name} = ${withSuffix(text(axis.points[at[a]]), axis.unit)}`).join(", "),
        value: Number.isFinite(value) ? `${quantity.name} = ${withSuffix(text(value), quantity.unit)}` : `${quantity.name}: no value`,
        time,
      };
    }

    rangeOfCurve(q, record) {
      const [low, high] = colourRange(this.run, q, record), margin = 0.04 * (high - low);
      return { from: low - margin, to: high + margin };
    }

    drawProfile(surface, q, record, label) {
      const run = this.run, axis = run.axes[0];
      const box = { left: 64, top: 26, width: surface.width - 84, height: surface.height - 68 };
      const frame = (this.frame = new Frame(surface, box, extent(axis), { ...this.rangeOfCurve(q, record), label }));
      frame.clip((context) => {
        this.curve(context, frame, 0, q, 0, pale);
        this.curve(context, frame, 0, q, record, accent);
        const at = this.cell()[0];
        mark(context, frame, axis.points[at], run.value(q, record, at));
      });
      frame.draw();
    }

    // Along an axis through the cell that is pointed at.
    curve(context, frame, a, q, record, colour) {
      const run = this.run, at = this.cell(), points = run.axes[a].points;
      context.strokeStyle = colour;
      context.lineWidth = 1.8;
      context.beginPath();
      let begun = false;
      for (let n = 0; n < points.length; ++n) {
        at[a] = n;
        const v = run.value(q, record, run.number(at[0], at[1], at[2]));
        if (!Number.isFinite(v)) {
          begun = false;
          continue;
        }
        if (begun) context.lineTo(frame.toX(points[n]), frame.toY(v));
        else context.moveTo(frame.toX(points[n]), frame.toY(v));
        begun = true;
      }
      context.stroke();
      context.lineWidth = 1;
    }

    drawThrough(canvas, a, q, record, label) {
      const surface = prepare(canvas), run = this.run, axis = run.axes[a];
      const box = { left: 64, top: 20, width: surface.width - 84, height: surface.height - 62 };
      const frame = new Frame(surface, box, extent(axis), { ...this.rangeOfCurve(q, record), label });
      const at = this.cell();
      frame.clip((context) => {
        this.curve(context, frame, a, q, record, accent);
        mark(context, frame, axis.points[at[a]], run.value(q, record, run.number(at[0], at[1], at[2])));
      });
      frame.draw();
      const through = run.axes.map((other, b) => (b === a ? "" : `${other.name} = ${withSuffix(text(other.points[at[b]], 4), other.unit)}`)).filter((s) => s);
      surface.context.textAlign = "left";
      surface.context.textBaseline = "bottom";
      surface.context.fillText(through.join(", "), 64, 16);
    }

    drawMap(surface, q, record, label) {
      const run = this.run, [first, second] = this.shownAxes(), x = extent(run.axes[first]), y = extent(run.axes[second]);
      const frame = (this.frame = new Frame(surface, boxFor(surface, x, y, run.axes[first].unit === run.axes[second].unit), x, y));
      const range = colourRange(run, q, record), palette = palettes[run.quantities[q].signed ? "diverging" : "sequential"];
      const columns = placesAt(run.axes[first].bounds, x.from, x.to, Math.max(1, Math.round(frame.box.width * surface.ratio)), false);
      const rows = placesAt(run.axes[second].bounds, y.from, y.to, Math.max(1, Math.round(frame.box.height * surface.ratio)), true);
      const at = this.cell(), values = run.quantities[q].values, start = record * run.places;
      const strides = [1, run.sizes[0], run.sizes[0] * run.sizes[1]];
      const fixed = run.axes.length === 3 ? at[state.slice] * strides[state.slice] : 0;
      fill(frame, (c, r) => values[start + fixed + columns[c] * strides[first] + rows[r] * strides[second]], range, palette);
      frame.clip((context) => {
        context.strokeStyle = ink;
        context.beginPath();
        for (let n = 0; n + 3 < run.outline.length; n += 4) {
          context.moveTo(frame.toX(run.outline[n]), frame.toY(run.outline[n + 1]));
          context.lineTo(frame.toX(run.outline[n + 2]), frame.toY(run.outline[n + 3]));
        }
        context.stroke();
        if (state.place) cross(context, frame, run.axes[first].points[at[first]], run.axes[second].points[at[second]]);
      });
      frame.draw();
      colourBar(frame, range, palette, label);
    }

    // Over the first axis and all records, at the place that is pointed at across.
    drawSpaceTime(surface, q, label) {
      const run = this.run, axis = run.axes[0], x = extent(axis), last = run.times.length - 1;
      const y = { from: run.times[0], to: run.times[last] > run.times[0] ? run.times[last] : run.times[0] + 1, label: withUnit("t", run.timeUnit) };
      const frame = (this.frame = new Frame(surface, boxFor(surface, x, y, false), x, y));
      const range = colourRange(run, q, 0), palette = palettes[run.quantities[q].signed ? "diverging" : "sequential"];
      const columns = placesAt(axis.bounds, x.from, x.to, Math.max(1, Math.round(frame.box.width * surface.ratio)), false);
      const height = Math.max(1, Math.round(frame.box.height * surface.ratio)), rows = new Int32Array(height);
      for (let r = 0; r < height; ++r) rows[r] = run.record(y.from + (1 - (r + 0.5) / height) * (y.to - y.from));
      const at = this.cell(), values = run.quantities[q].values, fixed = run.number(0, at[1], at[2]);
      fill(frame, (c, r) => values[rows[r] * run.places + fixed + columns[c]], range, palette);
      frame.clip((context) => {
        context.strokeStyle = accent;
        context.beginPath();
        context.moveTo(frame.box.left, frame.toY(clockTimes[state.at]));
        context.lineTo(frame.box.left + frame.box.width, frame.toY(clockTimes[state.at]));
        context.stroke();
      });
      frame.draw();
      colourBar(frame, range, palette, label);
    }
  }

  function mark(context, frame, x, y) {
    if (!Number.isFinite(y)) return;
    context.fillStyle = ink;
    context.beginPath();
    context.arc(frame.toX(x), frame.toY(y), 3.5, 0, 2 * Math.PI);
    context.fill();
  }

  function cross(context, frame, x, y) {
    const px = frame.toX(x), py = frame.toY(y);
    for (const [colour, width] of [["white", 3], [ink, 1]]) {
      context.strokeStyle = colour;
      context.lineWidth = width;
      context.beginPath();
      context.moveTo(px - 7, py);
      context.lineTo(px + 7, py);
      context.moveTo(px, py - 7);
      context.lineTo(px, py + 7);
      context.stroke();
    }
    context.lineWidth = 1;
  }

  // ---- series ----------------------------------------------------------------------------------------------

  const seriesCanvas = document.getElementById("series"), seriesChoice = document.getElementById("column");
  const withSeries = runs.filter((run) => run.series);

  function drawSeries() {
    if (withSeries.length === 0) return;
    const surface = prepare(seriesCanvas), lines = [];
    let label = "", low = Infinity, high = -Infinity, from = Infinity, to = -Infinity;
    const wanted = seriesChoice.value;
    withSeries.forEach((run, n) => {
      const width = run.series.columns.length, column = run.series.columns.findIndex((c) => c.name === wanted);
      if (column < 0) return;
      label = withUnit(run.series.columns[column].name, run.series.columns[column].unit);
      const points = [];
      for (let r = 0; r + width <= run.series.rows.length; r += width) {
        const t = run.series.rows[r], v = run.series.rows[r + column];
        from = Math.min(from, t);
        to = Math.max(to, t);
        if (!Number.isFinite(v)) continue;
        points.push([t, v]);
        low = Math.min(low, v);
        high = Math.max(high, v);
      }
      lines.push({ points, colour: page.colours.distinct[n % page.colours.distinct.length], name: run.name });
    });
    if (!(low <= high)) return;
    const margin = 0.06 * (high - low) || Math.abs(high) * 0.1 || 0.5;
    const box = { left: 64, top: 20, width: surface.width - 84, height: surface.height - 62 };
    const frame = new Frame(surface, box, { from, to: to > from ? to : from + 1, label: withUnit("t", withSeries[0].timeUnit) },
                            { from: low - margin, to: high + margin, label });
    frame.clip((context) => {
      const now = frame.toX(clockTimes[state.at]);
      context.strokeStyle = pale;
      context.beginPath();
      context.moveTo(now, box.top);
      context.lineTo(now, box.top + box.height);
      context.stroke();
      for (const line of lines) {
        context.strokeStyle = line.colour;
        context.lineWidth = 1.6;
        context.beginPath();
        line.points.forEach(([t, v], n) => (n ? context.lineTo(frame.toX(t), frame.toY(v)) : context.moveTo(frame.toX(t), frame.toY(v))));
        context.stroke();
      }
      context.lineWidth = 1;
    });
    frame.draw();
    if (lines.length > 1) {
      let x = box.left + 8;
      surface.context.textAlign = "left";
      surface.context.textBaseline = "bottom";
      for (const line of lines) {
        surface.context.fillStyle = line.colour;
        surface.context.fillText(line.name, x, 16);
        x += surface.context.measureText(line.name).width + 16;
      }
    }
    seriesFrame = frame;
  }
  let seriesFrame = null;

  // ---- controls --------------------------------------------------------------------------------------------

  const panels = runs.map((run) => new Panel(run, document.getElementById("runs")));
  const byId = (id) => document.getElementById(id);
  byId("runs").classList.toggle("single", runs.length === 1);
  byId("runs").classList.toggle("line", runs[0].axes.length === 1);
  const slider = byId("time"), play = byId("play");
  slider.max = String(clockTimes.length - 1);
  for (const part of document.querySelectorAll(".clock")) part.hidden = clockTimes.length === 1;

  function draw() {
    slider.value = String(state.at);
    byId("now").value = text(clockTimes[state.at]);
    play.textContent = state.playing ? "Pause" : "Play";
    for (const panel of panels) panel.draw();
    drawSeries();
    byId("pointed").textContent = panels.map((panel) => panel.told && `${runs.length > 1 ? panel.run.name + ": " : ""}${panel.told.value} at ${panel.told.place}, ${panel.told.time}`).filter((s) => s).join("; ");
    byId("own-range").hidden = state.range !== "own";
  }

  function goTo(at) {
    state.at = Math.min(clockTimes.length - 1, Math.max(0, at));
    draw();
  }
  function step(by) {
    state.playing = false;
    goTo(state.at + by);
  }
  function toggle() {
    state.playing = !state.playing;
    if (state.playing && state.at === clockTimes.length - 1) state.at = 0;
    last = Date.now();
    draw();
    tick();
  }
  // Ten records a second at speed 1; those that the machine has no time to draw are passed over.
  let last = 0;
  function tick() {
    if (!state.playing) return;
    const moment = Date.now(), due = Math.floor(((moment - last) / 100) * state.speed);
    if (due > 0) {
      last = moment;
      if (state.at + due >= clockTimes.length - 1) state.playing = false;
      goTo(state.at + due);
    }
    if (state.playing) setTimeout(tick, 20);
  }

  function choose(select, values, chosen, change) {
    select.replaceChildren(...values.map(([value, label]) => {
      const option = document.createElement("option");
      option.value = value;
      option.textContent = label;
      option.selected = value === chosen;
      return option;
    }));
    select.addEventListener("change", () => {
      change(select.value);
      draw();
    });
  }

  choose(byId("quantity"), names.map((n) => [n, n]), state.quantity, (v) => (state.quantity = v));
  choose(byId("speed"), [["0.25", "1/4"], ["0.5", "1/2"], ["1", "1"], ["2", "2"], ["4", "4"]], "1", (v) => (state.speed = Number(v)));
  choose(byId("range"), [["all", "all times"], ["shown", "this time"], ["own", "from .. to"]], "all", (v) => {
    const run = runs.find((r) => r.quantity(state.quantity) >= 0), q = run.quantity(state.quantity);
    if (v === "own") {
      state.bounds = [...colourRange(run, q, run.record(clockTimes[state.at]))];
      byId("low").value = text(state.bounds[0]);
      byId("high").value = text(state.bounds[1]);
    }
    state.range = v;
  });
  const columns = [...new Set(withSeries.flatMap((run) => run.series.columns.slice(1).map((c) => c.name)))];
  choose(seriesChoice, columns.map((c) => [c, c]), columns[0], () => {});
  byId("watched").hidden = columns.length === 0;
  for (const id of ["low", "high"])
    byId(id).addEventListener("change", () => {
      const bounds = [Number(byId("low").value), Number(byId("high").value)];
      if (bounds[0] < bounds[1]) state.bounds = bounds;
      draw();
    });
  play.addEventListener("click", toggle);
  byId("first").addEventListener("click", () => step(-Infinity));
  byId("back").addEventListener("click", () => step(-1));
  byId("forward").addEventListener("click", () => step(1));
  byId("last").addEventListener("click", () => step(Infinity));
  slider.addEventListener("input", () => {
    state.playing = false;
    goTo(Number(slider.value));
  });
  byId("now").addEventListener("change", () => {
    const wanted = Number(byId("now").value);
    if (Number.isFinite(wanted)) goTo(nearest(clockTimes, wanted));
  });
  byId("clock-unit").textContent = runs[0].timeUnit || "";
  byId("space-time").addEventListener("change", (event) => {
    state.spaceTime = event.target.checked;
    draw();
  });
  seriesCanvas.addEventListener("pointerdown", (event) => {
    if (!seriesFrame) return;
    const box = seriesCanvas.getBoundingClientRect();
    goTo(nearest(clockTimes, seriesFrame.fromX(event.clientX - box.left)));
  });

  const blocks = runs.filter((run) => run.axes.length === 3);
  byId("slices").hidden = blocks.length === 0;
  if (blocks.length > 0) {
    const level = byId("level");
    const set = () => {
      level.max = String(blocks[0].sizes[state.slice] - 1);
      state.level = Math.min(state.level, Number(level.max));
      level.value = String(state.level);
      const axis = blocks[0].axes[state.slice];
      byId("level-text").textContent = `${axis.name} = ${withSuffix(text(axis.points[state.level]), axis.unit)}`;
    };
    state.level = blocks[0].sizes[2] >> 1;
    choose(byId("slice"), blocks[0].axes.map((axis, a) => [String(a), `across ${axis.name}`]), "2", (v) => {
      state.slice = Number(v);
      state.level = blocks[0].sizes[state.slice] >> 1;
      set();
    });
    level.addEventListener("input", () => {
      state.level = Number(level.value);
      set();
      draw();
    });
    set();
  }

  document.addEventListener("keydown", (event) => {
    if (event.target.matches("input:not([type=range]), select, button") && event.key !== "Escape") {
      if (event.key !== "ArrowLeft" && event.key !== "ArrowRight") return;
      if (!event.target.matches("button")) return;
    }
    const keys = {
      " ": toggle,
      ArrowLeft: () => step(-1),
      ArrowRight: () => step(1),
      PageUp: () => step(-10),
      PageDown: () => step(10),
      Home: () => step(-Infinity),
      End: () => step(Infinity),
    };
    if (!keys[event.key]) return;
    event.preventDefault();
    keys[event.key]();
  });

  // ---- numbers and figures ---------------------------------------------------------------------------------

  const numbers = byId("numbers");
  for (const run of runs)
    for (const section of run.numbers || []) {
      const table = document.createElement("table"), caption = table.createCaption();
      caption.textContent = runs.length > 1 ? `${run.name}: ${section.title}` : section.title;
      for (const [key, value] of section.rows) {
        const row = table.insertRow();
        row.insertCell().textContent = key;
        row.insertCell().textContent = value;
      }
      numbers.append(table);
    }
  const figures = byId("figures");
  for (const run of runs)
    for (const figure of run.figures || []) {
      const shown = document.createElement("figure"), image = document.createElement("img"), caption = document.createElement("figcaption");
      image.src = figure.source;
      image.alt = figure.name;
      image.loading = "lazy";
      caption.textContent = runs.length > 1 ? `${run.name}: ${figure.name}` : figure.name;
      shown.append(image, caption);
      figures.append(shown);
    }
  for (const [id, part] of [["numbers-part", numbers], ["figures-part", figures]]) byId(id).hidden = part.childElementCount === 0;

  // #t=12&x=3&y=4&q=temperature: a state to come back to.
  function follow() {
    const asked = new URLSearchParams(location.hash.slice(1));
    if (names.includes(asked.get("q"))) {
      state.quantity = asked.get("q");
      byId("quantity").value = state.quantity;
    }
    if (asked.has("t")) state.at = nearest(clockTimes, Number(asked.get("t")));
    const place = runs[0].axes.map((axis) => (asked.has(axis.name) ? Number(asked.get(axis.name)) : NaN));
    if (place.some((v) => Number.isFinite(v))) {
      state.place = place.map((v, a) => (Number.isFinite(v) ? v : runs[0].axes[a].points[runs[0].axes[a].points.length >> 1]));
      if (blocks.length > 0 && asked.has(blocks[0].axes[state.slice].name)) state.level = nearest(blocks[0].axes[state.slice].points, state.place[state.slice]);
    }
    if (asked.has("space-time")) byId("space-time").checked = state.spaceTime = true;
    draw();
  }
  window.addEventListener("hashchange", follow);
  window.addEventListener("resize", draw);
  follow();
})();
