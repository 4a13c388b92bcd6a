import { cpSync, mkdirSync, mkdtempSync, rmSync, symlinkSync, writeFileSync } from 'node:fs';
import { createRequire } from 'node:module';
import { tmpdir } from 'node:os';
import path from 'node:path';
import { execa } from 'execa';
import { afterAll, beforeAll, expect, it } from 'vitest';

type Violation = { readonly from: string; readonly rule: { readonly name: string } };

const root = path.join(import.meta.dirname, '../..');
const rules = createRequire(import.meta.url)('../../.dependency-cruiser.cjs') as {
  readonly forbidden: readonly { readonly name: string }[];
};

/** A file for each way to break a rule: where it lies, what it imports, and which rule has to notice. */
const broken: readonly (readonly [file: string, imports: string, rule: string, reportedFor?: string])[] = [
  ['src/core/version/breaks-a.ts', "export * from './breaks-b.ts';", 'no-circles'],
  ['src/core/version/breaks-b.ts', "export * from './breaks-a.ts';", 'no-circles', 'src/core/version/breaks-a.ts'],
  ['src/core/form/jar/breaks-folder.ts', "import '../../rule/rule.ts';", 'no-folder-circles', 'src/core/rule'],
  ['src/core/name/breaks-folder.ts', "import '../error/catalog.ts';", 'no-folder-circles', 'src/core/name'],
  ['src/core/error/breaks-folder.ts', "import '../name/form.ts';", 'no-folder-circles', 'src/core/error'],
  ['src/flow/run/breaks-folder.ts', "import '../survey/survey.ts';", 'no-folder-circles', 'src/flow/run'],
  ['src/core/text/breaks-orphan.ts', '', 'no-orphans'],
  ['src/core/text/breaks-layer.ts', "import '../../world/files.ts';", 'core-imports-only-core'],
  ['src/core/text/breaks-purity.ts', "import 'node:fs';", 'core-is-pure'],
  ['src/core/text/breaks-library.ts', "import 'undici';", 'core-imports-pure-libraries'],
  ['src/world/breaks-layer.ts', "import '../flow/context.ts';", 'world-imports-core-and-world'],
  ['src/store/breaks-layer.ts', "import '../destination/destination.ts';", 'store-imports-world-and-core'],
  ['src/destination/breaks-layer.ts', "import '../flow/context.ts';", 'destination-imports-store-and-below'],
  ['src/standin/breaks-layer.ts', "import '../destination/destination.ts';", 'standin-imports-world-and-core'],
  ['src/flow/run/breaks-layer.ts', "import '../../cli/view/screen.ts';", 'flow-knows-no-terminal'],
  ['src/cli/breaks-main.ts', "import './main.ts';", 'nothing-imports-main'],
  ['src/flow/run/breaks-files.ts', "import 'node:fs/promises';", 'only-world-touches-the-machine'],
  ['src/destination/breaks-process.ts', "import 'node:child_process';", 'only-world-touches-the-machine'],
  ['src/standin/breaks-timer.ts', "import 'node:timers/promises';", 'only-world-touches-the-machine'],
  ['src/cli/breaks-system.ts', "import 'node:os';", 'only-world-touches-the-machine'],
  ['src/flow/run/breaks-program.ts', "import 'execa';", 'only-world-runs-programs'],
  ['src/core/text/breaks-path.ts', "import './there-is-no-such-file.ts';", 'nothing-unresolvable'],
];

let folder: string;
let violations: readonly Violation[];

beforeAll(async () => {
  folder = mkdtempSync(path.join(tmpdir(), 'bevelstone-layers-'));
  for (const name of ['src', 'tsconfig.json', 'package.json', '.dependency-cruiser.cjs'])
    cpSync(path.join(root, name), path.join(folder, name), { recursive: true });
  symlinkSync(path.join(root, 'node_modules'), path.join(folder, 'node_modules'));
  for (const [file, imports] of broken) {
    mkdirSync(path.dirname(path.join(folder, file)), { recursive: true });
    writeFileSync(path.join(folder, file), `${imports}\nexport const x = 1;\n`);
  }
  const { stdout } = await execa(
    path.join(root, 'node_modules/.bin/depcruise'),
    ['src', '--config', '.dependency-cruiser.cjs', '--output-type', 'json'],
    { cwd: folder, reject: false },
  );
  violations = (JSON.parse(stdout) as { summary: { violations: Violation[] } }).summary.violations;
});
afterAll(() => rmSync(folder, { recursive: true }));

it.each(broken)('%s, with %j, breaks %s', (file, _imports, rule, reportedFor = file) => {
  expect(violations.filter(({ from }) => from === reportedFor).map((violation) => violation.rule.name)).toContain(rule);
});

it('has a broken file for each rule', () => {
  expect(new Set(broken.map(([, , rule]) => rule))).toEqual(new Set(rules.forbidden.map(({ name }) => name)));
});
