// Neighbouring releases of well-known typed packages, unmodified: what `surface` reports of them, against what was found by hand.
// Downloads the packages with `npm pack` into bench/out/pairs; not part of `npm run bench`. Arguments: names, for some of them only.
import { execFileSync, spawnSync } from 'node:child_process';
import { existsSync, mkdirSync, mkdtempSync, readFileSync, renameSync, rmSync } from 'node:fs';
import path from 'node:path';
import { fileURLToPath } from 'node:url';

const root = path.dirname(path.dirname(fileURLToPath(import.meta.url)));
const folder = path.join(root, 'bench/out/pairs');
mkdirSync(folder, { recursive: true });
const { pairs } = JSON.parse(readFileSync(path.join(root, 'bench/surface-pairs.json'), 'utf8'));
const asked = process.argv.slice(2);
const wanted = pairs.filter(({ name }) => asked.length === 0 || asked.includes(name));

function packed(name, version) {
  const file = path.join(folder, `${name.replace(/^@/, '').replace('/', '-')}-${version}.tgz`);
  if (existsSync(file)) return file;
  // A download that was cut must not be taken for the package.
  const fresh = mkdtempSync(path.join(folder, 'fresh-'));
  execFileSync('npm', ['pack', '--silent', `${name}@${version}`], { cwd: fresh, stdio: 'ignore' });
  renameSync(path.join(fresh, path.basename(file)), file);
  rmSync(fresh, { recursive: true });
  return file;
}

function compare({ name, from, to }) {
  const args = [
    path.join(root, 'dist/main.js'),
    'surface',
    packed(name, to),
    '--against',
    packed(name, from),
    '--json',
  ];
  const { stdout } = spawnSync(process.execPath, args, { encoding: 'utf8', maxBuffer: 1 << 28, timeout: 300_000 });
  const { result, error } = JSON.parse(stdout);
  if (error !== null) throw new Error(`${name} ${from} to ${to}: ${error.message}`);
  return result.differences;
}

const sum = { reported: 0, right: 0, wrong: 0, open: 0, unknown: 0 };
console.log('package                        from       to         breaking  right  wrong  open  unknown');
for (const pair of wanted) {
  const differences = compare(pair);
  const breaking = differences.filter(({ effect }) => effect === 'breaking');
  const verdict = (difference) => pair.byHand?.[difference.name] ?? 'open';
  const count = (word) => breaking.filter((difference) => verdict(difference) === word).length;
  const row = {
    reported: breaking.length,
    right: count('right'),
    wrong: count('wrong'),
    open: count('open'),
    unknown: differences.filter(({ effect }) => effect === 'unknown').length,
  };
  for (const key of Object.keys(sum)) sum[key] += row[key];
  console.log(
    `${pair.name.padEnd(30)} ${pair.from.padEnd(10)} ${pair.to.padEnd(10)} ${String(row.reported).padStart(8)} ${String(row.right).padStart(6)} ${String(row.wrong).padStart(6)} ${String(row.open).padStart(5)} ${String(row.unknown).padStart(8)}`,
  );
  for (const difference of breaking.filter((found) => verdict(found) === 'open' || asked.length > 0))
    console.log(
      `    ${verdict(difference)}: ${difference.name}: ${difference.why}\n      ${difference.old}\n      ${difference.new}`,
    );
}
console.log(
  `${wanted.length} pairs: ${sum.reported} breaking reports, ${sum.right} right, ${sum.wrong} wrong, ${sum.open} not looked at; ${sum.unknown} unknown`,
);
const share = sum.reported === 0 ? 1 : sum.right / sum.reported;
console.log(`${(share * 100).toFixed(1)} % right; at least 95 % are wanted`);
process.exitCode = share >= 0.95 && sum.open === 0 ? 0 : 1;
