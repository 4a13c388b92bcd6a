import path from 'node:path';
import ts from 'typescript';
import { expect, it } from 'vitest';
import { trialClients } from '../../src/core/name/client.ts';
import { ecosystems } from '../../src/core/name/ecosystem.ts';
import { forms } from '../../src/core/name/form.ts';
import { protocols } from '../../src/core/name/protocol.ts';

const root = path.join(import.meta.dirname, '../..');

/** The code of the product as the compiler sees it, and with more files, such as a broken one. */
function openCode(more: Readonly<Record<string, string>>) {
  const file = path.join(root, 'tsconfig.json');
  const { config } = ts.readConfigFile(file, ts.sys.readFile);
  const { options, fileNames } = ts.parseJsonConfigFileContent(config, ts.sys, root);
  const own = fileNames.filter((name) => name.startsWith(path.join(root, 'src/')));
  const extra = new Map(Object.entries(more).map(([name, text]) => [path.join(root, name), text]));
  const host = ts.createCompilerHost(options);
  const { readFile, fileExists } = host;
  host.readFile = (name) => extra.get(name) ?? readFile.call(host, name);
  host.fileExists = (name) => extra.has(name) || fileExists.call(host, name);
  const program = ts.createProgram([...own, ...extra.keys()], options, host);
  const sources = [...own, ...extra.keys()].flatMap((name) => program.getSourceFile(name) ?? []);
  return { checker: program.getTypeChecker(), sources };
}

type Code = ReturnType<typeof openCode>;

function place(source: ts.SourceFile, node: ts.Node): string {
  const { line } = source.getLineAndCharacterOfPosition(node.getStart(source));
  return `${path.relative(root, source.fileName)}:${line + 1}`;
}

function visit(source: ts.SourceFile, look: (node: ts.Node) => void): void {
  const walk = (node: ts.Node) => {
    look(node);
    ts.forEachChild(node, walk);
  };
  walk(source);
}

/** Folders that hold definitions and the code that belongs to one of them, and rules, which list their forms. */
const definitionFolders =
  /^src\/(?:core\/(?:name|form|protocol|ecosystem)\/|(?:destination|standin)\/[a-z0-9-]+\/|flow\/trial\/client\/)/;

const kinds: readonly ReadonlySet<string>[] = [forms, protocols, ecosystems, trialClients].map(
  (names) => new Set<string>(names),
);

/** The names of one kind that a type consists of: two of them make it a form, a protocol, an ecosystem or a client. */
function namesIn(type: ts.Type, names: ReadonlySet<string>): number {
  const parts = type.isUnion() ? type.types : [type];
  return parts.filter((part) => part.isStringLiteral() && names.has(part.value)).length;
}

/** Comparisons of a form, protocol, ecosystem or client with the literal name of one, outside of definitions. */
function literalComparisons({ checker, sources }: Code): string[] {
  const found: string[] = [];
  for (const source of sources) {
    if (definitionFolders.test(path.relative(root, source.fileName))) continue;
    const check = (literal: ts.Node, other: ts.Node, node: ts.Node) => {
      if (!ts.isStringLiteral(literal)) return;
      const type = checker.getTypeAtLocation(other);
      if (kinds.some((names) => names.has(literal.text) && namesIn(type, names) > 1)) found.push(place(source, node));
    };
    visit(source, (node) => {
      if (ts.isBinaryExpression(node) && /^[=!]==?$/.test(node.operatorToken.getText(source))) {
        check(node.left, node.right, node);
        check(node.right, node.left, node);
      }
      if (ts.isCaseClause(node)) check(node.expression, node.parent.parent.expression, node);
      if (!ts.isCallExpression(node) || !ts.isPropertyAccessExpression(node.expression)) return;
      const list = node.expression.expression;
      const [given] = node.arguments;
      if (given !== undefined && ts.isArrayLiteralExpression(list))
        for (const element of list.elements) check(element, given, node);
    });
  }
  return found;
}

const outsideWorld = /^src\/(?:core|flow|destination|standin|cli)\//;
const exempt = /^src\/(?:standin\/store|cli\/main)\.ts$/;
const globals: ReadonlySet<string> = new Set([
  'process',
  'performance',
  'setTimeout',
  'setInterval',
  'setImmediate',
  'fetch',
]);

/** Uses of the machine by global names: the process, timers, and the clock. */
function machineUses({ checker, sources }: Code): string[] {
  const found: string[] = [];
  for (const source of sources) {
    const file = path.relative(root, source.fileName);
    if (!outsideWorld.test(file) || exempt.test(file)) continue;
    visit(source, (node) => {
      const isClock =
        (ts.isNewExpression(node) &&
          node.expression.getText(source) === 'Date' &&
          (node.arguments ?? []).length === 0) ||
        (ts.isPropertyAccessExpression(node) && node.getText(source) === 'Date.now');
      const isGlobal =
        ts.isIdentifier(node) &&
        globals.has(node.text) &&
        !(ts.isPropertyAccessExpression(node.parent) && node.parent.name === node) &&
        (checker.getSymbolAtLocation(node)?.declarations ?? []).some(
          (declaration) => declaration.getSourceFile().isDeclarationFile,
        );
      if (isClock || isGlobal) found.push(place(source, node));
    });
  }
  return found;
}

const maxLines = 80;
const maxParameters = 3;

/** Functions with too many lines or too many parameters. */
function largeFunctions({ sources }: Code): string[] {
  const found: string[] = [];
  for (const source of sources)
    visit(source, (node) => {
      if (!ts.isFunctionLike(node) || !('body' in node) || node.body === undefined) return;
      const [first, last] = [node.getStart(source), node.getEnd()].map(
        (position) => source.getLineAndCharacterOfPosition(position).line,
      );
      const lines = (last ?? 0) - (first ?? 0) + 1;
      if (lines > maxLines) found.push(`${place(source, node)} has ${lines} lines`);
      if (node.parameters.length > maxParameters)
        found.push(`${place(source, node)} has ${node.parameters.length} parameters`);
    });
  return found;
}

/** Broken code, one file each, with what has to be noticed. */
const compared = [
  ["form === 'wheel'", "form: import('../core/name/form.ts').Form"],
  ["'oci' !== speaks", "speaks: import('../core/name/protocol.ts').Protocol"],
  ["['node', 'rust'].includes(one)", "one: import('../core/name/ecosystem.ts').Ecosystem"],
  ["[].some(() => one === 'pip')", "one: import('../core/name/client.ts').TrialClient"],
].map(([expression, parameter], index) => ({
  file: `src/flow/breaks-name-${index}.ts`,
  text: `export const x = (${parameter}) => ${expression};\n`,
}));
const touching = ['process.env', 'Date.now()', 'new Date()', 'setTimeout(() => {}, 1)', 'performance.now()'].map(
  (expression, index) => ({ file: `src/flow/breaks-machine-${index}.ts`, text: `export const x = ${expression};\n` }),
);
const large = {
  file: 'src/flow/breaks-size.ts',
  text: `export const x = (a: 1, b: 2, c: 3, d: 4) => {${'\n'.repeat(maxLines)}return [a, b, c, d];\n};\n`,
};

const code = openCode(Object.fromEntries([...compared, ...touching, large].map(({ file, text }) => [file, text])));

it('a form, protocol, ecosystem or client is compared with a literal name in definitions only', () => {
  expect([...new Set(literalComparisons(code))]).toEqual(compared.map(({ file }) => `${file}:1`));
});

it('the process, timers and the clock are used in world only', () => {
  expect([...new Set(machineUses(code))]).toEqual(touching.map(({ file }) => `${file}:1`));
});

it(`a function has at most ${maxLines} lines and ${maxParameters} parameters`, () => {
  expect(largeFunctions(code)).toEqual([`${large.file}:1 has 82 lines`, `${large.file}:1 has 4 parameters`]);
});
