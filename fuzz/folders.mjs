// Damages the folder of a finished run, a little each time, and calls the steps on it. Each call has to end by itself
// with an exit code from 0 to 3 and, where it fails, a message; and after 'run' the figures have to be those of the
// sound folder again: damage may cost time, never a result.
// Usage: node folders.mjs TOOL COUNT SEED
import { spawnSync } from 'node:child_process';
import { cpSync, lstatSync, mkdirSync, mkdtempSync, readFileSync, readdirSync, rmSync, statSync, symlinkSync, truncateSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { Choice, generator } from './random.mjs';

const [tool, count, seed] = process.argv.slice(2);

const kBrief = `title = "Strip"
voxel = "3 mm"
[material]
use = "steel"
[sheet]
thickness = "4 mm"
[shapes]
strip = { rectangle = { from = ["0 mm", "0 mm"], to = ["90 mm", "36 mm"] } }
[design]
space = "strip"
keep = [{ face = "tip", depth = "6 mm" }]
[faces]
wall = { of = "strip", kind = "straight", facing = "-x" }
tip = { of = "strip", kind = "straight", facing = "+x" }
[supports]
wall = { face = "wall" }
[loads]
down = { face = "tip", force = ["0 N", "-500 N"] }
[cases]
down = { loads = { down = 1 } }
[target]
mass_fraction = 0.5
[making]
smallest_member = "9 mm"
[optimise]
iterations = 30
keep_every = 10
[proof]
tetrahedra = 2000
[require]
displacement = { tip = "5 mm" }
`;

/// Values of JSON that were other values before.
function changedJson(w, text) {
  let data;
  try {
    data = JSON.parse(text);
  } catch {
    return text;
  }
  const places = [];
  const visit = (of) => {
    for (const key of Object.keys(of)) {
      places.push([of, key]);
      if (of[key] && typeof of[key] === 'object') visit(of[key]);
    }
  };
  visit(data);
  const [of, key] = w.one(places);
  const value = w.one([null, true, -1, 1e300, 0, '', 'x', [], {}, [null], undefined]);
  if (value === undefined) delete of[key];
  else of[key] = value;
  return JSON.stringify(data);
}

/// Does one piece of damage to the folder and says what.
function damage(w, folder) {
  const names = readdirSync(folder, { recursive: true }).filter((n) => lstatSync(join(folder, n)).isFile());
  const name = w.one(names);
  const path = join(folder, name);
  const bytes = () => readFileSync(path);
  const kinds = {
    removed: () => rmSync(path),
    emptied: () => writeFileSync(path, ''),
    'cut short': () => truncateSync(path, w.whole(0, statSync(path).size)),
    'a byte changed': () => {
      const b = bytes();
      for (let i = w.whole(1, 3); i > 0 && b.length; --i) b[w.whole(0, b.length - 1)] ^= 1 << w.whole(0, 7);
      writeFileSync(path, b);
    },
    'a digit changed': () => {
      const b = bytes();
      const digits = [...b.keys()].filter((i) => b[i] >= 48 && b[i] <= 57);
      if (digits.length) b[w.one(digits)] = 48 + w.whole(0, 9);
      writeFileSync(path, b);
    },
    'a stretch doubled': () => {
      const b = bytes();
      const at = w.whole(0, b.length);
      writeFileSync(path, Buffer.concat([b.subarray(0, at), b.subarray(w.whole(0, at))]));
    },
    'another file': () => {
      const other = readFileSync(join(folder, w.one(names)));
      writeFileSync(path, other);
    },
    'noise': () => writeFileSync(path, Buffer.from(Array.from({ length: w.whole(1, 400) }, () => w.whole(0, 255)))),
    'a folder': () => {
      rmSync(path);
      mkdirSync(path);
    },
    'a link to nowhere': () => {
      rmSync(path);
      symlinkSync('/nowhere/at/all', path);
    },
    'a pipe': () => {
      rmSync(path);
      spawnSync('mkfifo', [path]);
    },
    'half written': () => writeFileSync(`${path}.part`, bytes().subarray(0, 100)),
    'JSON changed': () => writeFileSync(join(folder, 'results.json'), changedJson(w, readFileSync(join(folder, 'results.json'), 'utf8'))),
  };
  const kind = w.one(Object.keys(kinds));
  kinds[kind]();
  return `${kind === 'JSON changed' ? 'results.json' : name}: ${kind}`;
}

/// What of the results has to come back.
function figures(folder) {
  const r = JSON.parse(readFileSync(join(folder, 'results.json'), 'utf8'));
  return JSON.stringify([r.optimise.compliance_J, r.solid.volume_mm3, r.proof.compliance_J, r.proof.cases, r.proof.verdict]);
}

const home = mkdtempSync(join(tmpdir(), 'folders-'));
const brief = join(home, 'strip.toml');
const sound = join(home, 'sound');
writeFileSync(brief, kBrief);
const call = (verb, folder) => spawnSync(tool, [verb, brief, '--folder', folder, '--plain'], { encoding: 'utf8', timeout: 60000 });
const first = call('run', sound);
if (first.status === null || first.status > 1) throw new Error(`the sound run failed: ${first.stderr}`);
// A checkpoint as an interrupted run leaves it is part of the folder too.
const interrupted = join(home, 'interrupted');
spawnSync('timeout', ['-s', 'INT', '0.25', tool, 'run', brief, '--folder', interrupted, '--plain']);
const wanted = figures(sound);

let failed = 0;
const counts = new Map();
for (let i = 0; i < Number(count); ++i) {
  const number = Number(seed) + i;
  const w = new Choice(generator(number));
  const folder = join(home, 'damaged');
  cpSync(w.random() < 0.8 ? sound : interrupted, folder, { recursive: true });
  const done = Array.from({ length: w.whole(1, 2) }, () => damage(w, folder));
  for (const verb of [w.one(['report', 'solid', 'proof', 'optimise', 'analyse']), 'run']) {
    const run = call(verb, folder);
    const text = (run.stderr ?? '').trim();
    let fault = '';
    if (run.signal) fault = `ended by ${run.signal}`;
    else if (![0, 1, 2, 3].includes(run.status)) fault = `exit ${run.status}`;
    else if (run.status >= 2 && !/^error: .+/m.test(text)) fault = 'no message';
    else if (run.status >= 2 && !text.includes(folder)) fault = 'the message names no file';
    else if (/std::|basic_string|unordered_map|json\.exception|_M_|vector::/.test(text)) fault = 'the message is of the language';
    else if (verb === 'run' && run.status <= 1 && figures(folder) !== wanted) fault = 'other figures than of the sound folder';
    counts.set(run.status, (counts.get(run.status) ?? 0) + 1);
    if (!fault) continue;
    ++failed;
    console.log(`seed ${number}, ${done.join('; ')}, ${verb}: ${fault}\n  ${text.slice(0, 400)}`);
  }
  rmSync(folder, { recursive: true, force: true });
}
rmSync(home, { recursive: true, force: true });
console.log([...counts].sort().map(([status, n]) => `${n} with exit ${status}`).join(', ') + `; ${failed} failed`);
process.exit(failed ? 1 : 0);
