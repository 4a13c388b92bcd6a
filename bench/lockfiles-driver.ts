// Finds the dependencies of lockfiles with 10,000 packages, and parses each lockfile twice with a plain parser, in turn.
import { readFileSync } from 'node:fs';
import path from 'node:path';
import { parse as parseToml } from 'smol-toml';
import { parse as parseYaml } from 'yaml';
import { findDependencies } from '../src/core/sbom/dependency-graph.ts';
import { usualLimits } from '../src/core/text/limits.ts';

const [, , folder = '', roundsText = '5'] = process.argv;
const parsers: Readonly<Record<string, (text: string) => unknown>> = {
  'package-lock.json': JSON.parse,
  'Cargo.lock': parseToml,
  'pnpm-lock.yaml': parseYaml,
  'yarn.lock': (text) => text.split('\n').map((line) => line.trim().split(/\s+/)),
};

function milliseconds(work: () => void): number {
  const start = performance.now();
  work();
  return performance.now() - start;
}

for (const [name, parse] of Object.entries(parsers)) {
  const text = readFileSync(path.join(folder, name), 'utf8');
  const find = () =>
    findDependencies(
      {
        folder: '',
        otherFolders: [],
        own: new Map(),
        paths: [name],
        texts: new Map([[name, text]]),
        manifests: [
          {
            path: 'package.json',
            ecosystem: 'node',
            manifest: {
              name: 'tides',
              version: '1.0.0',
              description: null,
              licence: null,
              dependencies: [{ name: 'p0', range: '1.0.0', kind: 'run' }],
            },
          },
        ],
        organisation: null,
        limits: { ...usualLimits, yaml: 64 << 20 },
        installed: () => null,
      },
      'root',
    );
  const twice = () => {
    parse(text);
    parse(text);
  };
  const found = find().packages.length;
  twice();
  const ratios: { ratio: number; ours: number; theirs: number }[] = [];
  for (let round = 0; round < Number(roundsText); round++) {
    const theirs = milliseconds(twice);
    const ours = milliseconds(find);
    ratios.push({ ratio: ours / theirs, ours, theirs });
  }
  const middle = ratios.sort((a, b) => a.ratio - b.ratio)[Math.floor(ratios.length / 2)];
  console.log(JSON.stringify({ name, found, ...middle }));
}
