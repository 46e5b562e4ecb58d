// Follows docs/tutorial.md as a reader would: saves what is to be saved, types what is to be typed, and compares what
// comes back with what the page says: words exactly, figures within five in a hundred.
// Usage: node tutorial.mjs TUTORIAL TOOL EXAMPLES
import { spawnSync } from 'node:child_process';
import { existsSync, mkdirSync, mkdtempSync, readFileSync, rmSync, symlinkSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { dirname, join, resolve } from 'node:path';

const [page, tool, examples] = process.argv.slice(2).map((path) => resolve(path));
const home = mkdtempSync(join(tmpdir(), 'tutorial-'));
mkdirSync(join(home, 'bin'));
symlinkSync(tool, join(home, 'bin', 'barelattice'));
const work = join(home, 'work');
mkdirSync(work);
const env = { ...process.env, PATH: `${join(home, 'bin')}:${process.env.PATH}`, EXAMPLES: examples };

const kNumber = /[-+]?\d+(\.\d+)?(e[-+]?\d+)?/g;
const tidy = (line) => line.trim().replace(/\s+/g, ' ');
const words = (line) => tidy(line).replace(kNumber, '#');

/// Whether a line of output begins as the page says.
function agrees(said, found) {
  if (!words(found).startsWith(words(said))) return false;
  const numbers = (line) => (tidy(line).match(kNumber) ?? []).map(Number);
  const there = numbers(found);
  return numbers(said).every((n, i) => Math.abs(n - there[i]) <= 0.05 * Math.abs(n));
}

let failed = 0;
const fail = (text) => {
  ++failed;
  console.log(text);
};

let output = '';
const text = readFileSync(page, 'utf8');
let commands = 0;
for (const [, kind, words, body] of text.matchAll(/^```(\w+) ?(.*)\n([\s\S]*?)^```$/gm)) {
  if (kind === 'toml') {
    writeFileSync(join(work, words), body);
  } else if (kind === 'sh') {
    ++commands;
    const run = spawnSync('bash', ['-ec', body], { cwd: work, env, encoding: 'utf8', timeout: 1000 * 600 });
    output = run.stdout + run.stderr;
    const codes = words ? words.split(' ').map(Number) : [0];
    if (!codes.includes(run.status)) fail(`${body.trim()}: exit ${run.status}\n${output}`);
  } else if (kind === 'text') {
    const lines = output.split('\n');
    let at = 0;
    for (const said of body.split('\n').filter((line) => line.trim())) {
      const found = lines.findIndex((line, i) => i >= at && agrees(said, line));
      if (found < 0) fail(`the page says\n  ${said}\nwhich is not in (from line ${at + 1} on)\n${output}`);
      else at = found + 1;
    }
  }
}
if (commands < 8) fail(`only ${commands} commands were found`);
for (const [, path] of text.matchAll(/\]\(([^)#]+)(?:#[^)]*)?\)/g))
  if (!existsSync(join(dirname(page), path))) fail(`${path} is not there`);
rmSync(home, { recursive: true, force: true });
process.exit(failed ? 1 : 0);
