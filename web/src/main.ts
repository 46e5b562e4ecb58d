import uPlot from "uplot";
import { PageData, floatsOf } from "./data";
import { Layout } from "./layout";
import { THREE, View, arrow, boundsOf, faceted, geometryFrom, geometryOf, glass, label, opaque } from "./scene";

const data = JSON.parse(document.getElementById("page-data")!.textContent!) as PageData;
const element = <T extends HTMLElement>(id: string): T => document.getElementById(id) as T;

const spaceGeometry = geometryFrom(data.space);
const bounds = boundsOf(floatsOf(data.space.positions));
const reach = bounds.getSize(new THREE.Vector3()).length();
const view = new View(element("view"), bounds);

type Mode = "setup" | "layout" | "solid" | "stress";
const groups: Record<Mode, THREE.Group> = { setup: new THREE.Group(), layout: new THREE.Group(), solid: new THREE.Group(), stress: new THREE.Group() };
for (const group of Object.values(groups)) view.scene.add(group);

function centreOf(face: string): THREE.Vector3 {
  const found = data.faces.find((f) => f.name === face)!;
  return new THREE.Vector3(...(found.centre as [number, number, number]));
}

// Set-up: what the program understood.
const caseArrows = new THREE.Group();
function buildSetup(): void {
  const group = groups.setup;
  group.add(glass(spaceGeometry, data.palette.space, 0.16));
  for (const keep of data.keeps) group.add(opaque(faceted(geometryFrom(keep.mesh)), data.palette.keep));
  for (const clear of data.clears) group.add(glass(geometryFrom(clear.mesh), data.palette.clear, 0.13));
  const held = new Set(data.supports.map((s) => s.face));
  for (const face of data.faces) {
    const points = new THREE.BufferGeometry();
    points.setAttribute("position", new THREE.BufferAttribute(floatsOf(face.points), 3));
    const colour = held.has(face.name) ? data.palette.support : data.palette.load;
    group.add(new THREE.Points(points, new THREE.PointsMaterial({ color: colour, size: 0.007 * reach })));
  }
  for (const support of data.supports) {
    const at = centreOf(support.face);
    group.add(label("held: " + support.name, at.clone().add(new THREE.Vector3(0, 0, -0.05 * reach)), 0.032 * reach, data.palette.support));
  }
  group.add(caseArrows);
}

function showCase(name: string): void {
  caseArrows.clear();
  const chosen = data.cases.find((c) => c.name === name);
  if (!chosen) return;
  const most = Math.max(...data.cases.flatMap((c) => c.loads.map((l) => Math.hypot(...l.force))));
  for (const load of chosen.loads) {
    const force = new THREE.Vector3(...(load.force as [number, number, number]));
    const size = force.length();
    if (size === 0) continue;
    const length = reach * (0.1 + (0.2 * size) / most);
    const at = centreOf(load.face);
    caseArrows.add(arrow(at, force, length, data.palette.load));
    const tail = at.clone().addScaledVector(force.clone().normalize(), -length - 0.03 * reach);
    caseArrows.add(label(`${load.name} ${size >= 1000 ? (size / 1000).toPrecision(3) + " kN" : size.toPrecision(3) + " N"}`, tail, 0.034 * reach, "#7a4d00"));
  }
  view.draw();
}

// Layout with its live threshold.
function buildLayout(): void {
  if (!data.layout) return;
  const layout = new Layout(data);
  groups.layout.add(glass(spaceGeometry, data.palette.space, 0.05));
  const mesh = opaque(new THREE.BufferGeometry(), data.palette.solid);
  groups.layout.add(mesh);
  const slider = element<HTMLInputElement>("threshold");
  const update = () => {
    const reading = layout.read(Number(slider.value));
    mesh.geometry.dispose();
    mesh.geometry = geometryOf(reading.positions, reading.triangles);
    element("threshold-value").textContent = Number(slider.value).toFixed(2);
    element("threshold-mass").textContent = `${reading.mass.toPrecision(4)} kg`;
    element("threshold-pieces").textContent = String(reading.pieces);
    element("threshold-pieces").classList.toggle("warn", reading.pieces > 1);
    const share = (100 * reading.mass) / data.targetMass;
    element("threshold-share").textContent = `${share.toFixed(1)} % of the target`;
    view.draw();
  };
  slider.value = String(data.threshold ?? 0.5);
  slider.addEventListener("input", update);
  update();
}

function buildSolid(): void {
  if (!data.solid) return;
  groups.solid.add(glass(spaceGeometry, data.palette.space, 0.05));
  groups.solid.add(opaque(creased(geometryFrom(data.solid)), data.palette.solid));
}

/** Smooth shading, but edges sharper than 30 degrees stay sharp. */
function creased(geometry: THREE.BufferGeometry): THREE.BufferGeometry {
  const flat = geometry.toNonIndexed();
  const position = flat.getAttribute("position");
  const index = geometry.getIndex()!;
  const normals = new Float32Array(position.count * 3);
  const faceNormal: THREE.Vector3[] = [];
  const weight: number[] = [];
  const round = new Map<number, number[]>();
  const a = new THREE.Vector3(), b = new THREE.Vector3(), c = new THREE.Vector3();
  for (let t = 0; t < index.count / 3; ++t) {
    a.fromBufferAttribute(position, 3 * t);
    b.fromBufferAttribute(position, 3 * t + 1).sub(a);
    c.fromBufferAttribute(position, 3 * t + 2).sub(a);
    const normal = b.clone().cross(c);
    weight.push(normal.length());
    faceNormal.push(normal.normalize());
    for (let k = 0; k < 3; ++k) {
      const v = index.getX(3 * t + k);
      const list = round.get(v);
      if (list) list.push(t);
      else round.set(v, [t]);
    }
  }
  const sum = new THREE.Vector3();
  for (let t = 0; t < index.count / 3; ++t)
    for (let k = 0; k < 3; ++k) {
      sum.set(0, 0, 0);
      for (const other of round.get(index.getX(3 * t + k))!)
        if (faceNormal[other].dot(faceNormal[t]) > 0.866) sum.addScaledVector(faceNormal[other], weight[other]);
      sum.normalize();
      normals.set([sum.x, sum.y, sum.z], 3 * (3 * t + k));
    }
  flat.setAttribute("normal", new THREE.BufferAttribute(normals, 3));
  return flat;
}

// Stress on the solid.
function colourAt(share: number): THREE.Color {
  const stops = data.colourMap;
  const at = Math.min(0.999999, Math.max(0, share)) * (stops.length - 1);
  const low = Math.floor(at);
  return new THREE.Color(stops[low]).lerp(new THREE.Color(stops[low + 1]), at - low);
}

function buildStress(): void {
  const proof = data.proof;
  if (!proof) return;
  const geometry = geometryFrom(proof.mesh);
  const rest = floatsOf(proof.mesh.positions);
  const colours = new Float32Array(rest.length);
  geometry.setAttribute("color", new THREE.BufferAttribute(colours, 3));
  groups.stress.add(new THREE.Mesh(geometry, new THREE.MeshStandardMaterial({ vertexColors: true, roughness: 0.85, metalness: 0, side: THREE.DoubleSide })));
  groups.stress.add(glass(spaceGeometry, data.palette.space, 0.04));
  const fields = proof.cases.map((c) => ({ stress: floatsOf(c.vonMises), moved: floatsOf(c.displacement) }));
  // One scale for all cases: 99.5 % of the surface lies below its top, so that single hot spots do not flatten the rest.
  const sorted = Float32Array.from(fields.flatMap((f) => Array.from(f.stress.filter((_, i) => i % 7 === 0)))).sort();
  const top = sorted[Math.floor(0.995 * (sorted.length - 1))];
  const select = element<HTMLSelectElement>("stress-case");
  const deform = element<HTMLInputElement>("deform");
  const update = () => {
    const k = Number(select.value);
    const { stress, moved } = fields[k];
    const scale = deform.checked ? (0.06 * reach) / proof.cases[k].largestDisplacement : 0;
    const positions = geometry.getAttribute("position") as THREE.BufferAttribute;
    for (let i = 0; i < stress.length; ++i) {
      const colour = colourAt(stress[i] / top);
      colours.set([colour.r, colour.g, colour.b], 3 * i);
    }
    for (let i = 0; i < rest.length; ++i) (positions.array as Float32Array)[i] = rest[i] + scale * moved[i];
    positions.needsUpdate = true;
    geometry.getAttribute("color").needsUpdate = true;
    geometry.computeVertexNormals();
    element("deform-scale").textContent = deform.checked ? `displacements drawn ${scale.toPrecision(3)} times too large` : "";
    view.draw();
  };
  const bar = element("legend-bar");
  bar.style.background = `linear-gradient(to right, ${data.colourMap.join(", ")})`;
  element("legend-top").textContent = `${top.toPrecision(3)} MPa and more`;
  element("legend-middle").textContent = (top / 2).toPrecision(3);
  select.addEventListener("change", update);
  deform.addEventListener("change", update);
  update();
}

function show(mode: Mode): void {
  for (const [name, group] of Object.entries(groups)) group.visible = name === mode;
  for (const panel of document.querySelectorAll<HTMLElement>("[data-panel]")) panel.hidden = panel.dataset.panel !== mode;
  for (const button of document.querySelectorAll<HTMLInputElement>("input[name=mode]")) button.checked = button.value === mode;
  view.draw();
}

function drawHistory(): void {
  const host = document.getElementById("history");
  if (!host || !data.history) return;
  const options: uPlot.Options = {
    width: host.clientWidth,
    height: 260,
    legend: { show: true },
    scales: { x: { time: false }, J: { distr: 3 }, percent: {} },
    axes: [
      { label: "iteration" },
      { scale: "J", label: "compliance, J" },
      { scale: "percent", side: 1, label: "change, %", grid: { show: false } },
    ],
    series: [
      { label: "iteration" },
      { label: "compliance, J", scale: "J", stroke: data.palette.keep, width: 2 },
      { label: "change, % of mass", scale: "percent", stroke: data.palette.clear, width: 2, dash: [6, 4] },
    ],
  };
  const chart = new uPlot(options, [data.history.iteration, data.history.compliance, data.history.change.map((c) => 100 * c)], host);
  new ResizeObserver(() => chart.setSize({ width: host.clientWidth, height: 260 })).observe(host);
}

buildSetup();
buildLayout();
buildSolid();
buildStress();
drawHistory();
for (const button of document.querySelectorAll<HTMLInputElement>("input[name=mode]"))
  button.addEventListener("change", () => show(button.value as Mode));
const caseSelect = element<HTMLSelectElement>("setup-case");
caseSelect.addEventListener("change", () => showCase(caseSelect.value));
showCase(caseSelect.value);
show(data.proof ? "stress" : data.solid ? "solid" : data.layout ? "layout" : "setup");
document.body.dataset.ready = "yes";
