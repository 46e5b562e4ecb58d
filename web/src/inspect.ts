// The page of a geometry file: its faces, numbered, to click on.

import { MeshData, Packed, floatsOf, indicesOf } from "./data";
import { THREE, View, boundsOf, geometryOf, label } from "./scene";

interface FaceData { text: string; selector: string; centre: number[] }
interface BodyData { name: string; shape: string; mesh: MeshData; faceOf: Packed; faces: FaceData[] }
interface InspectData { palette: Record<string, string>; bodies: BodyData[]; defects: { what: string; at: number[] }[] }

const data = JSON.parse(document.getElementById("page-data")!.textContent!) as InspectData;
const element = <T extends HTMLElement>(id: string): T => document.getElementById(id) as T;

const all = boundsOf(Float32Array.from(data.bodies.flatMap((b) => Array.from(floatsOf(b.mesh.positions)))));
const reach = all.getSize(new THREE.Vector3()).length();
const view = new View(element("view"), all, false);
const plain = new THREE.Color(data.palette.solid);
const chosenColour = new THREE.Color(data.palette.load);
const hoverColour = plain.clone().lerp(chosenColour, 0.45);

interface Shown { mesh: THREE.Mesh; faceOf: Int32Array; body: BodyData }
const shown: Shown[] = data.bodies.map((body) => {
  // Every triangle has corners of its own, so that a face has one colour up to its edges.
  const geometry = geometryOf(floatsOf(body.mesh.positions), indicesOf(body.mesh.triangles)).toNonIndexed();
  geometry.computeVertexNormals();
  const count = geometry.getAttribute("position").count;
  geometry.setAttribute("color", new THREE.BufferAttribute(new Float32Array(3 * count), 3));
  const material = new THREE.MeshStandardMaterial({ vertexColors: true, roughness: 0.8, metalness: 0, side: THREE.DoubleSide });
  const mesh = new THREE.Mesh(geometry, material);
  view.scene.add(mesh);
  const faceOf = new Int32Array(indicesOf(body.faceOf).buffer);
  const lines = edgesBetween(geometry, faceOf);
  view.scene.add(new THREE.LineSegments(lines, new THREE.LineBasicMaterial({ color: data.palette.ink })));
  return { mesh, faceOf, body };
});

/** The lines where one face ends and another begins. */
function edgesBetween(geometry: THREE.BufferGeometry, faceOf: Int32Array): THREE.BufferGeometry {
  const position = geometry.getAttribute("position");
  const open = new Map<string, { face: number; ends: number[] }>();
  const points: number[] = [];
  const key = (i: number) => `${position.getX(i)},${position.getY(i)},${position.getZ(i)}`;
  for (let t = 0; t < faceOf.length; ++t)
    for (let k = 0; k < 3; ++k) {
      const a = 3 * t + k, b = 3 * t + ((k + 1) % 3);
      const name = [key(a), key(b)].sort().join(";");
      const other = open.get(name);
      if (!other) open.set(name, { face: faceOf[t], ends: [a, b] });
      else if (other.face !== faceOf[t])
        for (const end of other.ends) points.push(position.getX(end), position.getY(end), position.getZ(end));
    }
  const lines = new THREE.BufferGeometry();
  lines.setAttribute("position", new THREE.BufferAttribute(Float32Array.from(points), 3));
  return lines;
}

let chosen: [number, number] | undefined;
let hovered: [number, number] | undefined;
const marks = new THREE.Group();
view.scene.add(marks);

function paint(): void {
  shown.forEach(({ mesh, faceOf }, b) => {
    const colours = mesh.geometry.getAttribute("color") as THREE.BufferAttribute;
    for (let t = 0; t < faceOf.length; ++t) {
      const is = (which?: [number, number]) => which && which[0] === b && which[1] === faceOf[t];
      const colour = is(chosen) ? chosenColour : is(hovered) ? hoverColour : plain;
      for (let k = 0; k < 3; ++k) colour.toArray(colours.array as Float32Array, 3 * (3 * t + k));
    }
    colours.needsUpdate = true;
  });
  marks.clear();
  if (chosen) {
    const face = data.bodies[chosen[0]].faces[chosen[1]];
    marks.add(label(String(chosen[1] + 1), new THREE.Vector3(...(face.centre as [number, number, number])), 0.04 * reach, "#7a4d00"));
  }
  for (const defect of data.defects)
    marks.add(label("!", new THREE.Vector3(...(defect.at as [number, number, number])), 0.03 * reach, data.palette.loose));
  view.draw();
}

function choose(body: number, face: number, scroll: boolean): void {
  chosen = [body, face];
  const { text, selector } = data.bodies[body].faces[face];
  element("chosen").textContent = `${face + 1}: ${text}`;
  element("selector").textContent = selector;
  element("copy").hidden = false;
  for (const row of document.querySelectorAll<HTMLElement>("[data-face]")) {
    const own = row.dataset.face === `${body}-${face}`;
    row.setAttribute("aria-selected", String(own));
    if (own && scroll) row.scrollIntoView({ block: "nearest" });
  }
  paint();
}

/** The face under the pointer. */
function under(event: PointerEvent): [number, number] | undefined {
  const hit = view.pick(event, shown.map((s) => s.mesh));
  if (!hit) return undefined;
  const body = shown.findIndex((s) => s.mesh === hit.object);
  const face = shown[body].faceOf[hit.faceIndex!];
  return face >= 0 ? [body, face] : undefined;
}

let pressed: [number, number] = [0, 0];
element("view").addEventListener("pointerdown", (event) => { pressed = [event.clientX, event.clientY]; });
element("view").addEventListener("pointerup", (event) => {
  if (Math.hypot(event.clientX - pressed[0], event.clientY - pressed[1]) > 4) return; // it was a turn
  const found = under(event);
  if (found) choose(found[0], found[1], true);
});
element("view").addEventListener("pointermove", (event) => {
  if (event.buttons) return;
  const found = under(event);
  if (String(found) === String(hovered)) return;
  hovered = found;
  paint();
});
for (const row of document.querySelectorAll<HTMLElement>("[data-face]")) {
  const [body, face] = row.dataset.face!.split("-").map(Number);
  row.addEventListener("click", () => choose(body, face, false));
  row.addEventListener("keydown", (event) => {
    if (event.key !== "Enter" && event.key !== " ") return;
    event.preventDefault();
    choose(body, face, false);
  });
}
element("copy").addEventListener("click", () => void navigator.clipboard?.writeText(element("selector").textContent!));
element("theme").addEventListener("click", () => {
  const root = document.documentElement;
  const dark = root.dataset.theme ? root.dataset.theme === "dark" : matchMedia("(prefers-color-scheme: dark)").matches;
  root.dataset.theme = dark ? "light" : "dark";
});
paint();
document.body.dataset.ready = "yes";
