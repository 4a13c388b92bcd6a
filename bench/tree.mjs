// Lays out a tree of files that pack about as well as source code and binaries do, the same at every run.
import { mkdirSync, writeFileSync } from 'node:fs';
import path from 'node:path';

const words =
  'tide high low water bar quay gauge harmonic constituent station metre datum level moon sun hour day'.split(' ');

/** A small generator of numbers below 2^31, the same for the same seed. */
function numbers(seed) {
  let state = seed;
  return () => {
    state = (Math.imul(state, 1103515245) + 12345) & 0x7fffffff;
    return state;
  };
}

/** Text lines, and in every fourth file bytes that hardly pack. */
function content(seed, sizeBytes) {
  const next = numbers(seed);
  if (seed % 4 === 0) {
    const bytes = Buffer.alloc(sizeBytes);
    for (let at = 0; at + 4 <= sizeBytes; at += 4) bytes.writeUInt32LE((next() ^ (next() << 8)) >>> 0, at);
    return bytes;
  }
  const parts = [];
  for (let length = 0; length < sizeBytes; ) {
    const line = `${'  '.repeat(next() % 3)}${words[(next() >> 8) % words.length]} ${words[(next() >> 8) % words.length]} = ${next() % 10_000};\n`;
    parts.push(line);
    length += line.length;
  }
  return Buffer.from(parts.join('')).subarray(0, sizeBytes);
}

/** Writes the tree: folders of a hundred files each. */
export function makeTree(folder, { files, sizeBytes }) {
  const each = Math.floor(sizeBytes / files);
  for (let index = 0; index < files; index++) {
    const place = path.join(folder, `part-${String(Math.floor(index / 100)).padStart(3, '0')}`);
    if (index % 100 === 0) mkdirSync(place, { recursive: true });
    writeFileSync(path.join(place, `file-${index % 100}.txt`), content(index + 1, each));
  }
}
