// Comparing a package of 1,000 declaration files, against one program of the compiler over both trees with full diagnostics.
import { execFileSync, spawnSync } from 'node:child_process';
import { mkdirSync, mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import path from 'node:path';
import { compare, report } from './measure.mjs';

const root = path.dirname(import.meta.dirname);
const top = mkdtempSync(path.join(tmpdir(), 'bevelstone-bench-'));
const count = 1000;
const [limit, maxMegabytes] = [1.3, 500];

/** One file: classes, generic interfaces, functions, and uses of two other files; every twentieth differs between the trees. */
function declarations(index, side) {
  const [a, b] = [(index * 7 + 1) % count, (index * 13 + 5) % count];
  const isChanged = side === 'new' && index % 20 === 0;
  return `import type { Level${a} } from './m${a}.js';
import type { Options${b}, Gauge${b} } from './m${b}.js';
/** Heights at place ${index}. */
export interface Level${index} { readonly port: string; height: number; previous?: Level${a}; trend: 'up' | 'down'${isChanged ? " | 'slack'" : ''} }
export interface Options${index} { port: string; from?: Date; until?: Date; inner?: Options${b}; ${isChanged ? 'datum: string; ' : ''}mode?: 'high' | 'low' | 'both' }
export type Table${index}<T extends Level${index}, K extends keyof T = keyof T> = { readonly [P in K]: T[P][] } & { rows: Map<string, T> };
export declare abstract class Gauge${index}<T = Level${index}> {
  private readonly cache;
  protected constructor(options: Options${index});
  read(at?: Date): Promise<T | undefined>;
  each(visit: (level: T, index: number) => void): this;
  join<U>(other: Gauge${b}<U>): Gauge${index}<T & U>;
  static of(port: string, ...more: readonly string[]): Gauge${index};
  abstract close(force: boolean): void;
}
export declare function level${index}(options: Options${index}): Level${index};
export declare function level${index}(options: Options${index}, many: true): Level${index}[];
export declare const table${index}: Table${index}<Level${index}>;
`;
}

for (const side of ['old', 'new']) {
  const folder = path.join(top, side, 'package');
  mkdirSync(folder, { recursive: true });
  const version = side === 'old' ? '1.0.0' : '2.0.0';
  const manifest = {
    name: 'gauges',
    version,
    type: 'module',
    exports: { '.': { types: './index.d.ts', default: './index.js' } },
  };
  writeFileSync(path.join(folder, 'package.json'), JSON.stringify(manifest));
  writeFileSync(path.join(folder, 'index.js'), '');
  const all = Array.from({ length: count }, (_, index) => index);
  writeFileSync(path.join(folder, 'index.d.ts'), all.map((index) => `export * from './m${index}.js';\n`).join(''));
  for (const index of all) writeFileSync(path.join(folder, `m${index}.d.ts`), declarations(index, side));
  execFileSync('tar', ['-czf', path.join(top, `${side}.tgz`), '-C', path.join(top, side), 'package']);
}
const plain = path.join(top, 'plain.mjs');
writeFileSync(
  plain,
  `import ts from ${JSON.stringify(path.join(root, 'node_modules/typescript/lib/typescript.js'))};
const options = { strict: true, target: ts.ScriptTarget.ESNext, module: ts.ModuleKind.ESNext, moduleResolution: ts.ModuleResolutionKind.Bundler, noEmit: true, types: [] };
const program = ts.createProgram(['old', 'new'].map((side) => ${JSON.stringify(top)} + '/' + side + '/package/index.d.ts'), options);
console.log(ts.getPreEmitDiagnostics(program).length);
`,
);
const ours = {
  program: process.execPath,
  args: [path.join(root, 'dist/main.js'), 'surface', 'new.tgz', '--against', 'old.tgz', '--json'],
  cwd: top,
};
const isFast = report(
  `surface of ${count} declaration files`,
  compare(ours, { program: process.execPath, args: [plain], cwd: top }, 5),
  limit,
);
const hook = path.join(import.meta.dirname, 'peak-memory.cjs');
const { stdout, stderr } = spawnSync(ours.program, ['--require', hook, ...ours.args], {
  cwd: top,
  encoding: 'utf8',
  maxBuffer: 1 << 28,
});
const { differences } = JSON.parse(stdout).result;
const countOf = (effect) => differences.filter((difference) => difference.effect === effect).length;
const peak = Number(/^peak (\d+)$/m.exec(stderr)?.[1]);
console.log(
  `    ${countOf('breaking')} breaking, ${countOf('unknown')} unknown; ${peak.toFixed(0)} MB at most, ${peak <= maxMegabytes ? 'within' : 'OVER'} ${maxMegabytes}`,
);
rmSync(top, { recursive: true });
process.exitCode = isFast && peak <= maxMegabytes && countOf('breaking') === 2 * Math.ceil(count / 20) ? 0 : 1;
