import { readFileSync } from 'node:fs';
import path from 'node:path';
import ts from 'typescript';
import { beforeAll, expect, it } from 'vitest';

const root = path.join(import.meta.dirname, '../..');

/** A throw-away name of each kind: where it is added, and how CONTRIBUTING.md calls the kind. */
const additions = [
  { kind: 'rule', file: 'src/core/name/rule.ts', before: 'export const ruleIds = [', name: 'archive/throw-away' },
  { kind: 'form', file: 'src/core/name/form.ts', before: 'export const builtForms = [', name: 'throw-away-form' },
  {
    kind: 'protocol',
    file: 'src/core/name/protocol.ts',
    before: 'export const remoteProtocols = [',
    name: 'throw-away-protocol',
  },
  {
    kind: 'ecosystem',
    file: 'src/core/name/ecosystem.ts',
    before: 'export const ecosystems = [',
    name: 'throw-away-ecosystem',
  },
] as const;

/** Places that the compiler complains about when all of the names are added, each with its complaint. */
let complaints: readonly { readonly file: string; readonly text: string }[];

beforeAll(() => {
  const { config } = ts.readConfigFile(path.join(root, 'tsconfig.json'), ts.sys.readFile);
  const { options, fileNames } = ts.parseJsonConfigFileContent(config, ts.sys, root);
  const host = ts.createCompilerHost(options);
  const { readFile } = host;
  host.readFile = (name) => {
    const text = readFile.call(host, name);
    const addition = additions.find(({ file }) => path.join(root, file) === name);
    return addition === undefined ? text : text?.replace(addition.before, `${addition.before}'${addition.name}', `);
  };
  const own = fileNames.filter((name) => name.startsWith(path.join(root, 'src/')));
  const tried = path.join(root, 'test/flow/faults.test.ts');
  const program = ts.createProgram([...own, tried], options, host);
  complaints = ts.getPreEmitDiagnostics(program).map(({ file, messageText }) => ({
    file: path.relative(root, file?.fileName ?? ''),
    text: ts.flattenDiagnosticMessageText(messageText, '\n'),
  }));
});

/** The steps for a kind, as CONTRIBUTING.md has them. */
function stepsFor(kind: string): string {
  const text = readFileSync(path.join(root, 'CONTRIBUTING.md'), 'utf8');
  return new RegExp(`^## An? ${kind}\\n([\\s\\S]*?)(?=^#|(?![\\s\\S]))`, 'm').exec(text)?.[1] ?? '';
}

it.each(additions)('the steps for a $kind name each place that the compiler asks for', ({ kind, file, name }) => {
  const steps = stepsFor(kind);
  const [asking = ''] = /The compiler asks[\s\S]*?(?=\n\d|$)/.exec(steps) ?? [];
  const asked = complaints.filter(
    ({ text }) => text.includes(`'${name}' is missing`) || text.includes(`'"${name}"' is missing`),
  );

  expect(steps).toContain(file);
  expect([...asking.matchAll(/`(src\/[^`]+)`/g)].map((match) => match[1]).sort()).toEqual(
    [...new Set(asked.map((complaint) => complaint.file).filter((place) => place.startsWith('src/')))].sort(),
  );
});

it('the compiler reports no other place', () => {
  expect(complaints.filter(({ text }) => !text.includes('is missing'))).toEqual([]);
  expect(complaints.filter(({ text }) => text.includes('throw-away-protocol')).map(({ file }) => file)).toContain(
    'test/flow/faults.test.ts',
  );
});
