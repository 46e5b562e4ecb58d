// Runs random legal briefs, small ones, through the whole job. Each has to end by itself with an exit code from
// 0 to 3, and what is refused has to name its file and its cause.
// Usage: node briefs.mjs TOOL COUNT SEED [KEEP]
//   TOOL  the program, COUNT how many, SEED a whole number; KEEP a folder in which briefs that fail are left
import { spawnSync } from 'node:child_process';
import { copyFileSync, mkdirSync, mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { Choice, generator } from './random.mjs';

const [tool, count, seed, keep] = process.argv.slice(2);

const mm = (value) => `"${value.toFixed(2)} mm"`;
const point = (p) => `[${p.map(mm).join(', ')}]`;

/// A piece somewhere in or about the block.
function piece(w, size, flat) {
  const at = size.map((s) => w.between(-0.1 * s, 1.1 * s));
  const r = w.between(0.05, 0.4) * Math.min(...size);
  if (flat)
    return w.one([
      () => `{ disc = { centre = ${point(at)}, radius = ${mm(r)} } }`,
      () => `{ ring = { centre = ${point(at)}, hole = ${mm(0.4 * r)}, wall = ${mm(0.6 * r)} } }`,
      () => `{ rectangle = { from = ${point(at)}, to = ${point(at.map((v) => v + w.between(0.5, 3) * r))} } }`,
      () => `{ outline = { corners = [${point(at)}, ${point([at[0] + 2 * r, at[1]])}, { through = ${point([at[0] + 2.2 * r, at[1] + 1.1 * r])}, to = ${point([at[0], at[1] + 2 * r])} }] } }`,
    ])();
  const axis = w.whole(0, 2);
  const end = at.map((v, i) => (i === axis ? v + w.between(1, 6) * r : v));
  return w.one([
    () => `{ box = { from = ${point(at)}, to = ${point(at.map((v) => v + w.between(0.5, 3) * r))} } }`,
    () => `{ cylinder = { from = ${point(at)}, to = ${point(end)}, radius = ${mm(r)} } }`,
    () => `{ cone = { from = ${point(at)}, to = ${point(end)}, radius = ${mm(r)}, end_radius = ${mm(w.one([0, 0.5 * r]))} } }`,
    () => `{ sphere = { centre = ${point(at)}, radius = ${mm(r)} } }`,
    () => `{ torus = { centre = ${point(at)}, axis = "${'xyz'[axis]}", radius = ${mm(1.5 * r)}, tube = ${mm(0.4 * r)} } }`,
    () => `{ ring = { from = ${point(at)}, to = ${point(end)}, hole = ${mm(0.5 * r)}, wall = ${mm(0.5 * r)} } }`,
    () => `{ extrude = { plane = "${w.one(['xy', 'yz', 'zx', 'xz'])}", outline = [${point([at[0], at[1]])}, ${point([at[0] + 3 * r, at[1]])}, ${point([at[0], at[1] + 2 * r])}], from = ${mm(at[2])}, to = ${mm(at[2] + 2 * r)} } }`,
  ])();
}

function brief(w) {
  const flat = w.random() < 0.3;
  const size = Array.from({ length: flat ? 2 : 3 }, () => w.between(10, 90));
  const cells = Math.round(10 ** w.between(2, flat ? 3.6 : 3.9));
  const voxel = (size.reduce((a, b) => a * b, 1) / cells) ** (1 / size.length);
  const zero = size.map(() => 0);
  const pieces = Array.from({ length: w.whole(0, 4) }, () => piece(w, size, flat));
  const names = pieces.map((_, i) => `"q${i}"`);
  const kept = names.filter(() => w.random() < 0.5);
  const cleared = names.filter((name) => !kept.includes(name) && w.random() < 0.7);
  const kind = flat ? 'straight' : 'plane';
  const force = () => point(size.map(() => w.between(-1000, 1000))).replaceAll('mm', 'N');
  const action = w.one([() => `force = ${force()}`, () => `pressure = "${w.between(-2, 2).toFixed(2)} MPa"`]);
  const cases = w.whole(1, 3);
  const goal = w.one(['', '', 'goal = "stiffest in the worst case"\n', 'goal = "lightest"\n', 'goal = "least stress"\n',
    flat ? 'goal = { stiffness = 1, stress = 0.5 }\n' : 'goal = "highest frequency"\n']);
  const limits = [`sag = { displacement = ${mm(w.between(0.001, 1))}, face = "tip"${w.maybe(0.3, () => ', along = "+x"')} }`,
    `tilt = { rotation = "${w.between(0.001, 1).toFixed(3)} deg", face = "tip" }`, `safety_factor = ${w.between(0.5, 3).toFixed(1)}`,
    `pull = { tension = "${w.whole(5, 300)} MPa", cases = ["c0"] }`, `compliance = "${w.between(0.001, 2).toFixed(3)} J"`,
    flat ? 'push = { compression = "90 MPa" }' : `frequency = "${w.whole(10, 4000)} Hz"`].filter(() => w.random() < 0.4);
  if (goal.includes('lightest') && !limits.length) limits.push('safety_factor = 2');
  const fraction = w.one([`mass_fraction = ${w.between(0.05, 0.7).toFixed(2)}`, `mass_reduction = ${w.between(0.3, 0.9).toFixed(2)}`]);
  const target = goal.includes('lightest') ? '' : `[target]\n${fraction}\n`;
  return `title = "T"
${w.random() < 0.8 ? `voxel = ${mm(voxel)}` : `voxels = ${cells}`}
${flat ? `sheet = { thickness = ${mm(w.between(1, 10))}${w.maybe(0.5, () => ', state = "plane strain"')} }\n` : ''}${goal}[material]
use = "${w.one(['steel', 'aluminium'])}"
[shapes]
block = { ${flat ? 'rectangle' : 'box'} = { from = ${point(zero)}, to = ${point(size)} } }
${pieces.map((text, i) => `q${i} = ${text}\n`).join('')}${cleared.length && w.random() < 0.3 ? `cut = { difference = ["block", ${cleared[0]}] }\n` : ''}[design]
space = "block"
${kept.length ? `keep = [${kept.join(', ')}${w.maybe(0.3, () => `, { face = "tip", depth = ${mm(w.between(1, 3) * voxel)} }`)}]\n` : ''}${cleared.length ? `clear = [${cleared.join(', ')}]\n` : ''}[faces]
wall = { of = "block", kind = "${kind}", facing = "-x" }
tip = { of = "block", kind = "${kind}", facing = "+x" }
side = { of = "block", kind = "${kind}", facing = "+y" }
[supports]
wall = { face = "wall" }
${w.maybe(0.2, () => 'side = { face = "side", hold = ["y"] }\n')}[loads]
down = { face = "tip", ${action()}${w.maybe(0.3, () => `, backing = ${mm(w.between(0, 3) * voxel)}`)} }
up = { face = "tip", force = ${force()} }
[cases]
${Array.from({ length: cases }, (_, i) => `c${i} = { loads = { ${w.one(['down = 1.0', 'up = -2.0', 'down = 0.5, up = 1.0'])} } }\n`).join('')}${target}[making]
smallest_member = ${mm(w.between(1.9, 6) * voxel)}
${w.maybe(0.3, () => 'boundary = "reflecting"\n')}${w.maybe(0.3, () => `mirror = { across = "y", at = ${mm(w.one([0.5, 0.5, 0.4]) * size[1])} }\n`)}[optimise]
iterations = ${w.whole(1, 40)}
[proof]
tetrahedra = ${w.whole(1000, 8000)}
${w.maybe(0.3, () => `exclude_within = ${mm(w.between(0, 3) * voxel)}\n`)}[solid]
${w.maybe(0.2, () => `threshold = ${w.between(0.1, 0.9).toFixed(2)}\n`)}${w.maybe(0.2, () => `deviation = ${mm(w.between(0, 1))}\n`)}${w.maybe(0.2, () => 'formats = ["3mf", "obj", "ply"]\n')}[require]
displacement = { tip = ${mm(w.between(0.01, 1))} }
safety_factor = ${w.between(0.5, 3).toFixed(1)}
${goal.includes('lightest') || w.random() < 0.3 ? `[limits]\n${(limits.length ? limits : ['safety_factor = 1.5']).join('\n')}\n` : ''}`;
}

const kSeconds = 120;
const folder = mkdtempSync(join(tmpdir(), 'briefs-'));
const counts = new Map();
let failed = 0;
for (let i = 0; i < Number(count); ++i) {
  const number = Number(seed) + i;
  const file = join(folder, `b${number}.toml`);
  writeFileSync(file, brief(new Choice(generator(number))));
  const run = spawnSync(tool, ['run', file, '--plain'], { encoding: 'utf8', timeout: 1000 * kSeconds });
  counts.set(run.status, (counts.get(run.status) ?? 0) + 1);
  const text = run.stderr.trim();
  let fault = '';
  if (run.signal) fault = `ended by ${run.signal}`;
  else if (![0, 1, 2, 3].includes(run.status)) fault = `exit ${run.status}`;
  else if (run.status >= 2 && !/^error: .+/m.test(text)) fault = 'no message';
  else if (run.status === 2 && !text.includes(`b${number}.toml`)) fault = 'the message names no file';
  else if (/std::|basic_string|unordered_map|json\.exception|_M_|vector::/.test(text)) fault = 'the message is of the language';
  if (fault) {
    ++failed;
    console.log(`seed ${number}: ${fault}\n  ${text.slice(0, 400)}`);
    if (keep) {
      mkdirSync(keep, { recursive: true });
      copyFileSync(file, join(keep, `b${number}.toml`));
    }
  }
  rmSync(join(folder, `b${number}.run`), { recursive: true, force: true });
}
rmSync(folder, { recursive: true, force: true });
console.log([...counts].sort().map(([status, n]) => `${n} with exit ${status}`).join(', ') + `; ${failed} failed`);
process.exit(failed ? 1 : 0);
