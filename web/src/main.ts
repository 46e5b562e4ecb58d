import uPlot from "uplot";
import { BodyData, Field, PageData, bytesOf, fieldOf, floatsOf } from "./data";
import { Acting } from "./acting";
import { Layout } from "./layout";
import { THREE, View, boundsOf, coloured, creased, faceted, geometryFrom, geometryOf, glass, label, opaque } from "./scene";

const data = JSON.parse(document.getElementById("page-data")!.textContent!) as PageData;
const element = <T extends HTMLElement>(id: string): T => document.getElementById(id) as T;

const spaceGeometry = geometryFrom(data.space);
const bounds = boundsOf(floatsOf(data.space.positions));
const reach = bounds.getSize(new THREE.Vector3()).length();
const view = new View(element("view"), bounds, data.frame.cells[2] === 1);

const modes = ["setup", "layout", "solid", "stress"] as const;
type Mode = (typeof modes)[number];
const groups = Object.fromEntries(modes.map((mode) => [mode, new THREE.Group()])) as Record<Mode, THREE.Group>;
for (const group of Object.values(groups)) view.scene.add(group);

const vector = (list: number[]): THREE.Vector3 => new THREE.Vector3(...(list as [number, number, number]));

// What lies over the other views: the design space and the existing design.
const overSpace = glass(spaceGeometry, data.palette.space, 0.05);
const overBaseline = data.baseline ? glass(geometryFrom(data.baseline), data.palette.keep, 0.12) : undefined;
view.scene.add(overSpace);
if (overBaseline) view.scene.add(overBaseline);
let shown: Mode = "setup";
function overlay(): void {
  overSpace.visible = shown !== "setup" && element<HTMLInputElement>("over-space").checked;
  if (overBaseline) overBaseline.visible = element<HTMLInputElement>("over-baseline").checked;
  view.draw();
}

// Set-up: what the program understood.
const perCase = new THREE.Group();
function buildSetup(): void {
  const group = groups.setup;
  group.add(glass(spaceGeometry, data.palette.space, 0.16));
  for (const keep of data.keeps) view.addMassive(opaque(faceted(geometryFrom(keep.mesh)), data.palette.keep), group, data.palette.keep);
  for (const clear of data.clears) group.add(glass(geometryFrom(clear.mesh), data.palette.clear, 0.13));
  for (const part of data.parts) {
    const geometry = geometryFrom(part.mesh);
    if (part.bonded) view.addMassive(opaque(faceted(geometry), data.palette.part), group, data.palette.part);
    else group.add(glass(geometry, data.palette.part, 0.2));
  }
  group.add(perCase);
}

const acting = new Acting(data, reach, perCase);
function showCase(): void {
  acting.show(Number(element<HTMLSelectElement>("setup-case").value));
  view.draw();
}

// Layout with its live threshold, and the iterations that led to it.
function buildLayout(): void {
  if (!data.layout) return;
  const layout = new Layout(data);
  const mesh = coloured(new THREE.BufferGeometry());
  view.addMassive(mesh, groups.layout, data.palette.solid);
  const slider = element<HTMLInputElement>("threshold");
  const whole = new THREE.Color(data.palette.solid);
  const torn = new THREE.Color(data.palette.loose);
  const update = () => {
    const reading = layout.read(Number(slider.value));
    mesh.geometry.dispose();
    mesh.geometry = geometryOf(reading.positions, reading.triangles);
    const colours = new Float32Array(reading.positions.length);
    reading.loose.forEach((loose, v) => (loose ? torn : whole).toArray(colours, 3 * v));
    mesh.geometry.setAttribute("color", new THREE.BufferAttribute(colours, 3));
    element("threshold-value").textContent = Number(slider.value).toFixed(2);
    element("threshold-mass").textContent = `${reading.mass.toPrecision(4)} kg`;
    element("threshold-pieces").textContent = String(reading.pieces.length);
    const loose = reading.pieces.filter((p) => p.loose);
    element("threshold-pieces").classList.toggle("warn", reading.pieces.length > 1);
    element("threshold-loose").textContent = loose.length
      ? `${loose.length} of them are not attached to any keep: ${(1e3 * loose.reduce((s, p) => s + p.mass, 0)).toPrecision(3)} g have lost their connection.`
      : "";
    element("piece-list").innerHTML = reading.pieces.length > 1
      ? reading.pieces.slice(0, 12).map((p) => `<li class="${p.loose ? "warn" : ""}">${(1e3 * p.mass).toPrecision(3)} g${p.loose ? ", loose" : ""}</li>`).join("") +
        (reading.pieces.length > 12 ? `<li>and ${reading.pieces.length - 12} smaller ones</li>` : "")
      : "";
    element("threshold-share").textContent =
      data.targetMass > 0 ? `${((100 * reading.mass) / data.targetMass).toFixed(1)} % of the target` : "";
    view.draw();
  };
  slider.value = String(data.threshold ?? 0.5);
  slider.addEventListener("input", update);
  update();
  playIterations(layout, update);
}

function playIterations(layout: Layout, update: () => void): void {
  const frames = data.iterations ?? [];
  const last = data.unfinished ? "latest" : "final";
  const slider = document.getElementById("frame") as HTMLInputElement | null;
  if (!slider) return;
  const densities = frames.map((f) => bytesOf(f.density));
  slider.max = String(frames.length); // the last position is the layout itself
  slider.value = slider.max;
  const button = element("play");
  let timer = 0;
  const apply = () => {
    const at = Number(slider.value);
    layout.use(densities[at]);
    element("frame-number").textContent = at < frames.length ? `after ${frames[at].number}` : last;
    update();
  };
  const stop = () => {
    window.clearInterval(timer);
    timer = 0;
    button.textContent = "play";
  };
  slider.addEventListener("input", () => {
    stop();
    apply();
  });
  button.addEventListener("click", () => {
    if (timer) return stop();
    if (slider.value === slider.max) slider.value = "0";
    button.textContent = "pause";
    apply();
    timer = window.setInterval(() => {
      slider.value = String(Number(slider.value) + 1);
      apply();
      if (slider.value === slider.max) stop();
    }, 500);
  });
  element("frame-number").textContent = last;
}

/** Labels where a making rule does not hold, instead of those there were. */
function showMarks(body: BodyData, marks: THREE.Group): void {
  marks.clear();
  for (const mark of body.marks) marks.add(label(mark.text, vector(mark.at), 0.03 * reach, data.palette.loose));
}

function buildSolid(): void {
  if (!data.solid) return;
  view.addMassive(opaque(creased(geometryFrom(data.solid)), data.palette.solid), groups.solid, data.palette.solid);
  const part = data.bodies?.find((b) => b.name === "the part");
  if (!part) return;
  const marks = new THREE.Group();
  groups.solid.add(marks);
  showMarks(part, marks);
}

// Stress on the analysed bodies.
function colourAt(share: number): THREE.Color {
  const stops = data.colourMap;
  const at = Math.min(0.999999, Math.max(0, share)) * (stops.length - 1);
  const low = Math.floor(at);
  return new THREE.Color(stops[low]).lerp(new THREE.Color(stops[low + 1]), at - low);
}

function buildStress(): void {
  if (!data.bodies?.length) return;
  const mesh = coloured(new THREE.BufferGeometry());
  view.addMassive(mesh, groups.stress, data.palette.space); // grey: stress is known on the surface only
  const marks = new THREE.Group();
  groups.stress.add(marks);
  const bodies = data.bodies.map((b) => ({
    rest: floatsOf(b.mesh.positions),
    geometry: geometryFrom(b.mesh),
    cases: b.cases.map((c) => ({
      vonMises: fieldOf(c.vonMises), tension: fieldOf(c.tension), compression: fieldOf(c.compression),
      moved: fieldOf(c.displacement), largest: c.largestDisplacement,
    })),
    modes: b.modes.map((m) => ({ name: m.name, shape: fieldOf(m.shape), size: fieldOf(m.size) })),
  }));
  for (const body of bodies)
    body.geometry.setAttribute("color", new THREE.BufferAttribute(new Float32Array(body.rest.length), 3));
  // One scale for all cases and bodies: 99.5 % of the surfaces lie within it, so that single hot spots do not flatten
  // the rest.
  const scaleOf = (field: Field): [number, number] => {
    const sample = bodies.flatMap((b) => b.cases.flatMap((c) => Array.from(c[field].filter((_, i) => i % 11 === 0))));
    const sorted = Float32Array.from(sample).sort();
    const at = (share: number) => sorted[Math.floor(share * (sorted.length - 1))];
    if (field === "vonMises") return [0, at(0.995)];
    return field === "tension" ? [Math.min(0, at(0.005)), at(0.995)] : [at(0.005), Math.max(0, at(0.995))];
  };
  const bodySelect = document.getElementById("stress-body") as HTMLSelectElement | null;
  const caseChoice = element<HTMLSelectElement>("stress-case");
  const fieldChoice = element<HTMLSelectElement>("stress-field");
  const deform = element<HTMLInputElement>("deform");
  const chosenBody = () => bodies[Number(bodySelect?.value ?? 0)];
  const place = (moved: Float32Array, scale: number) => {
    const body = chosenBody();
    const positions = body.geometry.getAttribute("position") as THREE.BufferAttribute;
    for (let i = 0; i < body.rest.length; ++i) (positions.array as Float32Array)[i] = body.rest[i] + scale * moved[i];
    positions.needsUpdate = true;
    body.geometry.computeVertexNormals();
  };
  const paint = (values: Float32Array, low: number, high: number) => {
    const colours = chosenBody().geometry.getAttribute("color") as THREE.BufferAttribute;
    values.forEach((s, i) => colourAt((s - low) / (high - low)).toArray(colours.array as Float32Array, 3 * i));
    colours.needsUpdate = true;
  };
  const label3 = (low: string, middle: string, top: string) => {
    element("legend-low").textContent = low;
    element("legend-middle").textContent = middle;
    element("legend-top").textContent = top;
  };
  // A mode swings while it is shown; it starts where it is widest.
  let swing = 0;
  const playMode = (mode: { shape: Float32Array; size: Float32Array }) => {
    const period = 1600; // ms, whatever its frequency
    const begin = performance.now();
    const still = window.matchMedia("(prefers-reduced-motion: reduce)").matches;
    const frame = (now: number) => {
      if (shown === "stress") {
        place(mode.shape, 0.06 * reach * Math.cos((2 * Math.PI * Math.max(0, now - begin)) / period));
        view.draw();
      }
      if (!still) swing = window.requestAnimationFrame(frame);
    };
    paint(mode.size, 0, 1);
    element("deform-scale").textContent = "a mode has a shape and no size: it swings slowed down";
    label3("at rest", "", "moves most");
    frame(begin);
  };
  const offerModes = () => {
    caseChoice.querySelectorAll("option[data-mode]").forEach((option) => option.remove());
    chosenBody().modes.forEach((mode, m) => {
      const option = new Option(mode.name, `mode ${m}`);
      option.dataset.mode = "";
      caseChoice.add(option);
    });
  };
  const update = () => {
    const body = chosenBody();
    window.cancelAnimationFrame(swing);
    mesh.geometry = body.geometry;
    showMarks(data.bodies![Number(bodySelect?.value ?? 0)], marks);
    const mode = /^mode (\d+)$/.exec(caseChoice.value);
    fieldChoice.disabled = deform.disabled = element("one-scale").hidden = mode !== null;
    if (mode) return playMode(body.modes[Number(mode[1])]);
    const chosen = body.cases[Number(caseChoice.value)];
    const field = fieldChoice.value as Field;
    const [low, high] = scaleOf(field);
    paint(chosen[field], low, high);
    const scale = deform.checked ? (0.06 * reach) / chosen.largest : 0;
    place(chosen.moved, scale);
    element("deform-scale").textContent = deform.checked ? `deformation exaggerated ${scale.toPrecision(3)}x` : "";
    const short = (value: number) => `${Number(value.toPrecision(3))}`;
    label3(short(low), short((low + high) / 2), `${short(high)} MPa and more`);
    view.draw();
  };
  element("legend-bar").style.background = `linear-gradient(to right, ${data.colourMap.join(", ")})`;
  for (const choice of [caseChoice, fieldChoice, deform]) choice.addEventListener("change", update);
  bodySelect?.addEventListener("change", () => {
    const wanted = caseChoice.value;
    offerModes();
    caseChoice.value = wanted;
    if (caseChoice.selectedIndex < 0) caseChoice.selectedIndex = 0;
    update();
  });
  offerModes();
  update();
}

// Sections.
const axes = ["x", "y", "z"] as const;
function cut(): void {
  const sections = axes.flatMap((axis, i) => {
    if (!element<HTMLInputElement>(`cut-${axis}`).checked) return [];
    const share = Number(element<HTMLInputElement>(`cut-${axis}-at`).value);
    const at = bounds.min.getComponent(i) + share * (bounds.max.getComponent(i) - bounds.min.getComponent(i));
    return [{ axis: i, at }];
  });
  view.cut(sections);
}

function show(mode: Mode): void {
  shown = mode;
  for (const [name, group] of Object.entries(groups)) group.visible = name === mode;
  for (const panel of document.querySelectorAll<HTMLElement>("[data-panel]")) panel.hidden = panel.dataset.panel !== mode;
  for (const button of document.querySelectorAll<HTMLInputElement>("input[name=mode]")) button.checked = button.value === mode;
  overlay();
}

/** Of a lightest part: its mass, and each limit over its bound. */
function drawLimits(host: HTMLElement, axis: uPlot.Axis): void {
  const history = data.history;
  if (!history?.mass || !history.limits) return;
  const box = document.createElement("div");
  host.append(box);
  const dashes = [[], [6, 4], [2, 3], [8, 3, 2, 3]];
  const ink = getComputedStyle(document.body).color;
  const options: uPlot.Options = {
    width: host.clientWidth,
    height: 260,
    legend: { show: true },
    scales: { x: { time: false }, kg: {}, percent: { range: (_, low, high) => [Math.min(low, 90), Math.min(Math.max(high, 110), 300)] } },
    axes: [
      { ...axis, label: "iteration" },
      { ...axis, scale: "kg", label: "mass, kg" },
      { ...axis, scale: "percent", side: 1, label: "limits, % of their bound", grid: { show: false } },
    ],
    series: [
      { label: "iteration" },
      { label: "mass, kg", scale: "kg", stroke: data.palette.keep, width: 2 },
      ...history.limits.map((limit, l): uPlot.Series => ({
        label: `${limit.what}, % of its bound`,
        scale: "percent",
        stroke: l % 2 ? data.palette.support : data.palette.load,
        width: 1.5,
        dash: dashes[l % dashes.length],
      })),
      { label: "bound", scale: "percent", stroke: ink, width: 1 },
    ],
  };
  const chart = new uPlot(
    options,
    [
      history.iteration,
      history.mass,
      ...history.limits.map((limit) => limit.share.map((v) => (v === null ? null : 100 * v))),
      history.iteration.map(() => 100),
    ],
    box,
  );
  new ResizeObserver(() => chart.setSize({ width: host.clientWidth, height: 260 })).observe(host);
}

function drawHistory(): void {
  const host = document.getElementById("history");
  if (!host || !data.history) return;
  const ink = getComputedStyle(document.body).color;
  const line = getComputedStyle(document.body).getPropertyValue("--line");
  const axis = { stroke: ink, grid: { stroke: line }, ticks: { stroke: line } };
  const options: uPlot.Options = {
    width: host.clientWidth,
    height: 260,
    legend: { show: true },
    scales: { x: { time: false }, J: { distr: 3 }, percent: {}, stage: { distr: 3 } },
    axes: [
      { ...axis, label: "iteration" },
      { ...axis, scale: "J", label: "compliance, J" },
      { ...axis, scale: "percent", side: 1, label: "change, grey, erosion, %", grid: { show: false } },
    ],
    series: [
      { label: "iteration" },
      { label: "compliance, J", scale: "J", stroke: data.palette.keep, width: 2 },
      { label: "of the eroded layout, J", scale: "J", stroke: data.palette.keep, width: 1, dash: [2, 3] },
      { label: "change, % of mass", scale: "percent", stroke: data.palette.clear, width: 1, dash: [6, 4] },
      { label: "grey, % of mass", scale: "percent", stroke: ink, width: 1, dash: [1, 2] },
      { label: "erosion, %", scale: "percent", stroke: data.palette.support, width: 2 },
      { label: "sharpness", scale: "stage", stroke: "transparent", width: 0 },
    ],
  };
  host.replaceChildren();
  const history = data.history;
  const percent = (values: number[]): number[] => values.map((v) => 100 * v);
  const chart = new uPlot(
    options,
    [
      history.iteration,
      history.compliance,
      history.eroded,
      percent(history.change),
      percent(history.grey),
      percent(history.erosion),
      history.sharpness,
    ],
    host,
  );
  new ResizeObserver(() => chart.setSize({ width: host.clientWidth, height: 260 })).observe(host);
  drawLimits(host, axis);
}

/** Keys work wherever no control is in use. */
function onKey(event: KeyboardEvent): void {
  const target = event.target as HTMLElement;
  if (event.ctrlKey || event.metaKey || event.altKey || ["INPUT", "SELECT", "BUTTON", "SUMMARY"].includes(target.tagName)) return;
  const step = 0.12;
  const key = event.key.toLowerCase();
  const number = Number(key);
  if (number >= 1 && number <= 4) {
    const button = document.querySelector<HTMLInputElement>(`input[name=mode][value=${modes[number - 1]}]`);
    if (button && !button.disabled) show(modes[number - 1]);
  } else if (key === "arrowleft") view.turn(-step, 0);
  else if (key === "arrowright") view.turn(step, 0);
  else if (key === "arrowup" && target.id === "view") view.turn(0, -step);
  else if (key === "arrowdown" && target.id === "view") view.turn(0, step);
  else if (key === "+" || key === "=") view.turn(0, 0, 1.15);
  else if (key === "-") view.turn(0, 0, 1 / 1.15);
  else if (key === "0") view.fromTheStart();
  else if (key === "c") {
    for (const id of ["setup-case", "stress-case"]) {
      const select = document.getElementById(id) as HTMLSelectElement | null;
      if (!select) continue;
      select.selectedIndex = (select.selectedIndex + 1) % select.length;
      select.dispatchEvent(new Event("change"));
    }
  } else if ((axes as readonly string[]).includes(key)) element<HTMLInputElement>(`cut-${key}`).click();
  else return;
  event.preventDefault();
}

buildSetup();
buildLayout();
buildSolid();
buildStress();
drawHistory();
for (const button of document.querySelectorAll<HTMLInputElement>("input[name=mode]"))
  button.addEventListener("change", () => show(button.value as Mode));
for (const axis of axes)
  for (const id of [`cut-${axis}`, `cut-${axis}-at`]) element(id).addEventListener("input", cut);
for (const id of ["over-space", "over-baseline"]) document.getElementById(id)?.addEventListener("change", overlay);
element("setup-case").addEventListener("change", showCase);
document.addEventListener("keydown", onKey);
element("theme").addEventListener("click", () => {
  const root = document.documentElement;
  const dark = root.dataset.theme ? root.dataset.theme === "dark" : matchMedia("(prefers-color-scheme: dark)").matches;
  root.dataset.theme = dark ? "light" : "dark";
  drawHistory();
});
showCase();
show(data.bodies?.length ? "stress" : data.solid ? "solid" : data.layout ? "layout" : "setup");
document.body.dataset.ready = "yes";
