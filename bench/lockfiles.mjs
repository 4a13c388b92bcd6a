// Dependencies from lockfiles of 10,000 packages, against parsing each of these lockfiles twice with a plain parser.
import { execFileSync } from 'node:child_process';
import { createHash } from 'node:crypto';
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import path from 'node:path';
import { build } from 'esbuild';

const top = mkdtempSync(path.join(tmpdir(), 'bevelstone-bench-'));
const count = 10_000;
const limit = 1.5;
const digest = (index) => createHash('sha512').update(String(index)).digest();
// Each package needs two others, further on and anywhere: chains, circles and shared needs.
const needs = (index) => [...new Set([(index + 1) % count, (index * 7 + 3) % count])];
const all = Array.from({ length: count }, (_, index) => index);

const packages = { '': { dependencies: { p0: '1.0.0' } } };
for (const index of all)
  packages[`node_modules/p${index}`] = {
    version: '1.0.0',
    resolved: `https://packages.fenmarsh.example/p${index}-1.0.0.tgz`,
    integrity: `sha512-${digest(index).toString('base64')}`,
    license: 'MIT',
    dependencies: Object.fromEntries(needs(index).map((other) => [`p${other}`, '^1.0.0'])),
    engines: { node: '>=18' },
  };
const files = {
  'package-lock.json': JSON.stringify({ name: 'tides', lockfileVersion: 3, packages }, null, 2),
  'Cargo.lock': `version = 4\n\n[[package]]\nname = "tides"\nversion = "1.0.0"\ndependencies = [\n "p0",\n]\n${all
    .map(
      (index) =>
        `\n[[package]]\nname = "p${index}"\nversion = "1.0.0"\nsource = "registry+https://packages.fenmarsh.example/index"\nchecksum = "${digest(index).toString('hex').slice(0, 64)}"\ndependencies = [\n${needs(
          index,
        )
          .map((other) => ` "p${other}",\n`)
          .join('')}]\n`,
    )
    .join('')}`,
  'pnpm-lock.yaml': `lockfileVersion: '9.0'\nimporters:\n  .:\n    dependencies:\n      p0:\n        specifier: 1.0.0\n        version: 1.0.0\npackages:\n${all
    .map((index) => `  p${index}@1.0.0:\n    resolution: {integrity: sha512-${digest(index).toString('base64')}}\n`)
    .join('')}snapshots:\n${all
    .map(
      (index) =>
        `  p${index}@1.0.0:\n    dependencies:\n${needs(index)
          .map((other) => `      p${other}: 1.0.0\n`)
          .join('')}`,
    )
    .join('')}`,
  'yarn.lock': `# yarn lockfile v1\n\n${all
    .map(
      (index) =>
        `p${index}@1.0.0:\n  version "1.0.0"\n  resolved "https://packages.fenmarsh.example/p${index}.tgz"\n  integrity sha512-${digest(index).toString('base64')}\n  dependencies:\n${needs(
          index,
        )
          .map((other) => `    p${other} "1.0.0"\n`)
          .join('')}\n`,
    )
    .join('')}`,
};
for (const [name, text] of Object.entries(files)) writeFileSync(path.join(top, name), text);
const driver = path.join(top, 'driver.mjs');
await build({
  entryPoints: [path.join(import.meta.dirname, 'lockfiles-driver.ts')],
  outfile: driver,
  bundle: true,
  platform: 'node',
  format: 'esm',
  logLevel: 'error',
  banner: { js: "import{createRequire as __r}from'node:module';const require=__r(import.meta.url);" },
});
const printed = execFileSync(process.execPath, [driver, top, process.argv[2] ?? '5'], { encoding: 'utf8' });
let isGood = true;
for (const line of printed.trim().split('\n')) {
  const { name, found, ratio, ours, theirs } = JSON.parse(line);
  const isWithin = ratio <= limit && found === count;
  isGood &&= isWithin;
  console.log(
    `${name.padEnd(20)} ${found} packages  ${ratio.toFixed(2)} times, ${isWithin ? 'within' : 'OVER'} ${limit}   (${ours.toFixed(0)} ms against ${theirs.toFixed(0)} ms)`,
  );
}
rmSync(top, { recursive: true });
process.exitCode = isGood ? 0 : 1;
