// Draws the same bracket under six goals: node scripts/goals.mjs TOOL OUT.png. Takes some ten minutes; needs
// ImageMagick besides what the page tests need.
import { execFileSync, spawnSync } from 'node:child_process';
import { mkdtempSync, readFileSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { dirname, join } from 'node:path';
import { fileURLToPath } from 'node:url';

const [, , tool, out] = process.argv;
const root = dirname(dirname(fileURLToPath(import.meta.url)));
const whole = readFileSync(join(root, 'examples/first/lightest.toml'), 'utf8');
const body = whole.slice(0, whole.indexOf('[limits]')).replace(/^goal = .*\n/m, '');
const mass = '[target]\nmass_fraction = 0.2\n';
const goals = [
  ['"stiffest"', '"stiffest"', mass],
  ['"highest frequency"', '"highest frequency"', mass],
  ['"least stress"', '"least stress"', mass],
  ['{ stiffness = 1, frequency = 1, stress = 1 }', '{ stiffness = 1, frequency = 1, stress = 1 }', mass],
  ['"lightest", 700 Hz and a safety factor of 3', '"lightest"', '[limits]\nfrequency = "700 Hz"\nsafety_factor = 3\n'],
  ['"stiffest", 450 to 500 Hz', '"stiffest"',
    `${mass}[limits]\nfrequency = "450 Hz"\nfrequency_below = "500 Hz"\n`],
];

const folder = mkdtempSync(join(tmpdir(), 'goals-'));
const pictures = goals.map(([title, goal, rest], i) => {
  const brief = join(folder, `g${i}.toml`);
  writeFileSync(brief, `goal = ${goal}\n${body}${rest}[proof]\nfrequencies = 1\n`);
  const run = spawnSync(tool, ['run', brief, '--quick'], { encoding: 'utf8' });
  if (run.status > 1) throw new Error(run.stderr);
  const results = JSON.parse(readFileSync(join(folder, `g${i}.run/results.json`), 'utf8'));
  const proof = results.proof;
  const factor = Math.min(...proof.cases.map((c) => c.safety_factor));
  const hertz = proof.frequencies[0].lowest_Hz[0].value;
  const text = `${proof.mass_kg.toFixed(3)} kg, ${hertz.toFixed(0)} Hz, safety factor ${factor.toFixed(1)}, `
    + `${proof.compliance_J.toFixed(2)} J`;
  const picture = join(folder, `g${i}.png`);
  execFileSync('node', [join(root, 'web/tests/picture.mjs'), join(folder, `g${i}.run/report.html`), picture, 'solid'], { cwd: join(root, 'web/tests') });
  const tile = join(folder, `t${i}.png`);
  execFileSync('convert', [picture, '-crop', '906x742+0+57', '+repage', '-resize', '424x347',
    '(', '-size', '424x52', 'xc:white', '-font', 'DejaVu-Sans', '-pointsize', '15', '-fill', '#1c2833',
    '-gravity', 'NorthWest', '-annotate', '+12+4', title, '-pointsize', '13', '-fill', '#56636e',
    '-annotate', '+12+26', text, ')', '-append', tile]);
  return tile;
});
execFileSync('montage', [...pictures, '-tile', '3x2', '-geometry', '+1+1', '-background', '#d6dde3', '-depth', '8',
  '-colors', '200', `PNG8:${out}`]);
