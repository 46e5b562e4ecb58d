// A room uses its own headers and those of rooms below it, never one above; the order is that of the sources in
// src/CMakeLists.txt. Usage: node rooms.mjs SOURCE_DIR
import { readFileSync, readdirSync } from 'node:fs';
import { join } from 'node:path';

const [root] = process.argv.slice(2);
const sources = readFileSync(join(root, 'src/CMakeLists.txt'), 'utf8');
const rooms = [...new Set([...sources.matchAll(/^ {2}([a-z]+)\/\w+\.cpp$/gm)].map((match) => match[1]))];

const faults = [];
let seen = 0;
const look = (room, folder) => {
  for (const entry of readdirSync(folder, { withFileTypes: true })) {
    const path = join(folder, entry.name);
    if (entry.isDirectory()) look(room, path);
    if (!/\.[ch]pp$/.test(entry.name)) continue;
    if (/^#include "\.\./m.test(readFileSync(path, 'utf8'))) faults.push(`${path} reaches out of its room by a relative path`);
    for (const [, used] of readFileSync(path, 'utf8').matchAll(/^#include "(?:barelattice\/)?([a-z]+)\//gm)) {
      ++seen;
      if (!rooms.includes(used)) faults.push(`${path} uses ${used}, which is no room`);
      else if (rooms.indexOf(used) > rooms.indexOf(room)) faults.push(`${path}: ${room} lies below ${used}`);
    }
  }
};
for (const base of ['include/barelattice', 'src'])
  for (const entry of readdirSync(join(root, base), { withFileTypes: true })) {
    if (!entry.isDirectory()) continue;
    if (!rooms.includes(entry.name)) faults.push(`${base}/${entry.name} is not in the list of sources`);
    else look(entry.name, join(root, base, entry.name));
  }
for (const fault of faults) console.error(fault);
console.log(`${rooms.length} rooms, ${seen} includes of one by another or itself: ${rooms.join(', ')}`);
process.exit(faults.length || seen < 100 ? 1 : 0);
