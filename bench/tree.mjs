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

/**
 * Writes a tree as real ones are: a third of the bytes in three huge files, a third in files that are compressed already, the
 * rest in many files from 0 bytes to a megabyte, in folders up to twelve deep.
 */
export function makeUnevenTree(folder, { files, sizeBytes }) {
  const next = numbers(5);
  const third = Math.floor(sizeBytes / 3);
  const place = (name) => {
    const deep = Array.from({ length: (next() >> 8) % 12 }, (_, at) => `d${((next() >> 8) + at) % 4}`);
    const inside = path.join(folder, ...deep);
    mkdirSync(inside, { recursive: true });
    return path.join(inside, name);
  };
  for (const [index, share] of [0.5, 0.3, 0.2].entries())
    writeFileSync(place(`chart-${index}.txt`), content(index + 1, Math.floor(third * share)));
  const pictures = Math.max(1, Math.floor(files / 50));
  // Every fourth seed gives bytes that hardly pack.
  for (let index = 0; index < pictures; index++)
    writeFileSync(place(`picture-${index}.png`), content(4 * index + 4, Math.floor(third / pictures)));
  const rest = Math.max(1, files - pictures - 3);
  for (let index = 0; index < rest; index++) {
    // Most are tiny; one in a hundred has a third of what is left.
    const mean = third / rest;
    const bytes = index % 100 === 0 ? mean * 40 : index % 7 === 0 ? 0 : mean * ((next() >> 8) % 130) * 0.01;
    writeFileSync(place(`table-${index}.txt`), content(4 * index + 1, Math.min(1 << 20, Math.floor(bytes))));
  }
}
