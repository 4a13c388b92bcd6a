import type Joi from 'joi';
import { type Document, isMap, isNode, isScalar, LineCounter, type Node, visit, type YAMLError } from 'yaml';
import { BevelstoneError, type Place, type Problem } from '../error/bevelstone-error.ts';
import type { ErrorCode } from '../error/catalog.ts';
import { nearest } from '../text/nearest.ts';
import { composeYaml } from '../text/yaml.ts';
import { type Config, type DeploymentConfig, destinationsOf, type PackageConfig } from './config.ts';
import { knownKeys } from './known-keys.ts';
import { refuseMapped } from './mapped-path.ts';
import { configSchema } from './schema.ts';

/**
 * Turns the text of bevelstone.yaml into a configuration with every default filled in.
 * @param file its name, for the places of errors.
 * @throws CONFIG_INVALID listing everything that is wrong, each with line, column and remedy.
 */
export function parseConfig(text: string, file: string): Config {
  if (text.length > maxConfigLength) throw tooLarge(text.length, file);
  const lines = new LineCounter();
  const document = composed(text, lines, file);
  const places = new Places(document, lines, file);
  const doubles = duplicateKeys(document, places);
  const syntax = [
    ...document.errors.slice(0, maxProblems).map((error) => syntaxProblem(error, places)),
    ...doubles.slice(0, maxProblems),
  ];
  // Behind a broken line the structure is a guess, and guesses make noise; a double key leaves it sound.
  const isSound = document.errors.length === 0;
  const schema = configSchema();
  const known = new KnownKeys(schema);
  const { error, value } = schema.validate(isSound ? documentValue(document, places) : {}, {
    abortEarly: false,
    convert: false,
  });
  const details = isSound ? (error?.details ?? []) : [];
  const wrong = details.slice(0, maxProblems).map((detail) => schemaProblem(detail, known, places));
  const references = isSound && error === undefined ? referenceProblems(value as Config, places) : [];
  const problems = [...syntax, ...wrong, ...references].sort((a, b) => (a.where?.line ?? 0) - (b.where?.line ?? 0));
  const more =
    Math.max(0, details.length - maxProblems) +
    Math.max(0, document.errors.length - maxProblems) +
    Math.max(0, doubles.length - maxProblems);
  if (problems.length > 0) throw invalid(problems, file, more);
  return value as Config;
}

function composed(text: string, lines: LineCounter, file: string): Document.Parsed {
  try {
    return composeYaml(text, { lineCounter: lines, uniqueKeys: false, version: '1.2' });
  } catch (error) {
    if (!(error instanceof SyntaxError)) throw error;
    throw invalid([notWellFormed(error.message, { file, line: 1, column: 1 })], file, 0);
  }
}

/** What the document stands for. Aliases could make a small file huge, and may lead nowhere. @throws CONFIG_INVALID */
function documentValue(document: Document.Parsed, places: Places): unknown {
  try {
    return document.toJS({ maxAliasCount: 100 }) ?? {};
  } catch (error) {
    if (!(error instanceof Error)) throw error;
    let first = 0;
    visit(document, {
      Alias: (_, { range }) => {
        first = range?.[0] ?? 0;
        return visit.BREAK;
      },
    });
    throw invalid([notWellFormed(error.message, places.at(first))], places.file, 0);
  }
}

/** More than anyone writes by hand; a larger file would only keep the checks busy. */
const maxConfigLength = 1 << 20;
/** More mistakes than this are only counted. */
const maxProblems = 100;

type Path = readonly (string | number)[];

/** The keys that may stand at a path. Describing a schema takes long, so it is done once, and only when it is asked for. */
class KnownKeys {
  readonly #schema: Joi.Schema;
  #description: Joi.Description | null = null;

  constructor(schema: Joi.Schema) {
    this.#schema = schema;
  }

  at(path: Path): string[] {
    this.#description ??= this.#schema.describe();
    return [...new Set(knownKeys(this.#description, path))];
  }
}

/** Finds the line and column of a key or value. */
class Places {
  readonly #document: Document.Parsed;
  readonly #lines: LineCounter;
  readonly file: string;

  constructor(document: Document.Parsed, lines: LineCounter, file: string) {
    this.#document = document;
    this.#lines = lines;
    this.file = file;
  }

  at(offset: number): Place {
    const { line, col } = this.#lines.linePos(offset);
    return { file: this.file, line, column: col };
  }

  /** The place of the value at the path, or of the nearest thing above it that is there. */
  value(path: Path): Place {
    for (let length = path.length; length > 0; length--) {
      const node = this.#document.getIn(path.slice(0, length), true);
      if (isNode(node) && node.range) return this.at(node.range[0]);
    }
    return { file: this.file, line: 1, column: 1 };
  }

  /** The place of the last key of the path. */
  key(path: Path): Place {
    const name = String(path.at(-1));
    const parent = path.length > 1 ? this.#document.getIn(path.slice(0, -1), true) : this.#document.contents;
    if (isMap(parent)) {
      const pair = parent.items.find(({ key }) => isScalar(key) && String(key.value) === name);
      const key = pair?.key as Node | undefined;
      if (key?.range) return this.at(key.range[0]);
    }
    return this.value(path);
  }
}

/** Keys that stand twice in a mapping; the parser's own check compares each with all others. */
function duplicateKeys(document: Document.Parsed, places: Places): Problem[] {
  const problems: Problem[] = [];
  visit(document, {
    Map: (_, { items }) => {
      const seen = new Set<string>();
      for (const { key } of items) {
        if (!isScalar(key)) continue;
        const name = String(key.value);
        if (seen.has(name)) {
          problems.push({
            code: 'CONFIG_DUPLICATE_KEY',
            message: 'duplicate key',
            fix: 'Keep one of them',
            where: places.at(key.range?.[0] ?? 0),
          });
        }
        seen.add(name);
      }
    },
  });
  return problems;
}

function syntaxProblem(error: YAMLError, places: Places): Problem {
  const where = places.at(error.pos[0]);
  if (error.code === 'TAB_AS_INDENT') {
    return {
      code: 'CONFIG_SYNTAX',
      message: 'tab used for indentation, which YAML does not allow',
      fix: 'Indent with spaces',
      where,
    };
  }
  const message = error.message.split('\n')[0]?.replace(/ at line \d+.*$/, '') ?? 'not well-formed';
  return notWellFormed(message, where);
}

function notWellFormed(why: string, where: Place): Problem {
  return {
    code: 'CONFIG_SYNTAX',
    message: `invalid YAML: ${why}`,
    fix: 'Correct this line, or the one before it',
    where,
  };
}

function schemaProblem(detail: Joi.ValidationErrorItem, keys: KnownKeys, places: Places): Problem {
  const { path, type } = detail;
  if (path.length === 1 && path[0] === 'together' && type === 'object.base') {
    const fix = 'Name each group: together: { tides: [tidemark, tidemark-py] }';
    return {
      code: 'CONFIG_WRONG_TYPE',
      message: '"together" must be a mapping of groups',
      fix,
      where: places.value(path),
    };
  }
  const shown = path.join('.') || 'the file';
  if (type === 'object.unknown') {
    const renamed = renamedKeys.get(String(path.at(-1)));
    if (renamed !== undefined)
      return {
        code: 'CONFIG_UNKNOWN_KEY',
        message: `"${shown}" is an old name`,
        fix: `Write \`${renamed}\` instead`,
        where: places.key(path),
      };
    const known = keys.at(path.slice(0, -1));
    const near = nearest(String(path.at(-1)), known);
    const fix = near === null ? fixFromKnown(known) : `Did you mean "${near}"?`;
    return {
      code: 'CONFIG_UNKNOWN_KEY',
      message: `unknown key "${shown}"`,
      fix,
      where: places.key(path),
    };
  }
  if (type === 'any.required') {
    const fix = `Add "${path.at(-1)}" there`;
    return { code: 'CONFIG_MISSING_KEY', message: `"${shown}" is missing`, fix, where: places.value(path) };
  }
  // Joi would repeat the value, and it may be a secret.
  const isPattern = type === 'string.pattern.name';
  const message = isPattern
    ? `"${shown}" is not ${detail.context?.['name']}`
    : detail.message.replace(/^"[^"]*"/, `"${shown}"`);
  return { code: 'CONFIG_WRONG_TYPE', message, fix: fixFor(detail), where: places.value(path) };
}

/** Keys of earlier versions, with what they are called now. */
const renamedKeys: ReadonlyMap<string, string> = new Map([
  ['bills', 'sbom: { kinds: [spdx, cyclonedx] }'],
  ['contents', 'files'],
  ['look', 'preview'],
  ['fields', 'control (deb), attributes (jar) or coordinates (jar, pom)'],
]);

function fixFromKnown(known: readonly string[]): string {
  return known.length === 0 ? 'Remove it' : `Remove it; known here: ${known.join(', ')}`;
}

function fixFor({ type, context }: Joi.ValidationErrorItem): string {
  const valids = context?.['valids'] as unknown[] | undefined;
  if (type === 'any.only' && valids !== undefined) {
    const near = nearest(String(context?.value), valids.map(String));
    return near === null ? `Write one of: ${valids.join(', ')}` : `Did you mean "${near}"?`;
  }
  if (type === 'any.unknown') return 'Remove it: this form does not take it';
  if (type === 'string.base') return 'Write a text here; quote it if it looks like a number or yes/no';
  if (type === 'array.base') return 'Write a list here: [a, b], or a line with "- " for each';
  if (type === 'object.base') return 'Write a mapping here: keys with values, indented';
  return 'Correct the value; docs/configuration.md lists what goes here';
}

/** Names that point to nothing: destinations, packages, streams. */
function referenceProblems(config: Config, places: Places): Problem[] {
  const problems: Problem[] = [];
  const check = ({
    name,
    known,
    what,
    path,
  }: {
    readonly name: string;
    readonly known: readonly string[];
    readonly what: string;
    readonly path: Path;
  }) => {
    if (known.includes(name)) return;
    const near = nearest(name, known);
    const fix =
      near !== null ? `Did you mean "${near}"?` : known.length > 0 ? `Known: ${known.join(', ')}` : `Define it first`;
    problems.push({
      code: 'CONFIG_UNKNOWN_REFERENCE',
      message: `unknown ${what} "${name}"`,
      fix,
      where: places.value(path),
    });
  };
  const packages = Object.keys(config.packages);
  for (const [name, pkg] of Object.entries(config.packages)) {
    for (const [index, destination] of destinationsOf(pkg).entries()) {
      check({
        name: destination,
        known: Object.keys(config.destinations),
        what: 'destination',
        path: ['packages', name, 'send-to', index],
      });
    }
  }
  problems.push(...Object.entries(config.packages).flatMap(([name, pkg]) => patchProblems(name, pkg, places)));
  for (const [group, members] of Object.entries(config.together)) {
    for (const [index, name] of members.entries())
      check({ name, known: packages, what: 'package', path: ['together', group, index] });
  }
  for (const [name, deployment] of Object.entries(config.deployments)) {
    check({ name: deployment.package, known: packages, what: 'package', path: ['deployments', name, 'package'] });
    problems.push(...mapProblems(name, deployment, places));
  }
  for (const [name, { streams }] of Object.entries(config.destinations)) {
    for (const [index, stream] of (streams ?? []).entries()) {
      check({
        name: stream,
        known: Object.keys(config.streams),
        what: 'stream',
        path: ['destinations', name, 'streams', index],
      });
    }
  }
  return problems;
}

/** Two parts at one path, or one inside the other, and parts in folders of our own. */
function mapProblems(name: string, { map, folder }: DeploymentConfig, places: Places): Problem[] {
  const absolute = map.map(({ to }) => (to.startsWith('/') ? to : `${folder}/${to}`));
  return absolute.flatMap((to, index): Problem[] => {
    const where = places.value(['deployments', name, 'map', index]);
    const refusal = refuseMapped(to, folder);
    const other = absolute.slice(0, index).find((path) => isInside(path, to) || isInside(to, path));
    if (refusal === null && other === undefined) return [];
    const message =
      refusal === null ? `${to} is mapped twice: ${other} overlaps with it` : `${to} cannot be mapped: ${refusal}`;
    return [{ code: 'CONFIG_WRONG_TYPE', message, fix: 'Choose another path', where }];
  });
}

function isInside(path: string, folder: string): boolean {
  return path === folder || path.startsWith(`${folder}/`);
}

/** Patches say which input they change unless there is only one. */
function patchProblems(name: string, { inputs, patches }: PackageConfig, places: Places): Problem[] {
  const known = inputs.map((input) => input.name);
  return patches.flatMap(({ input }, index): Problem[] => {
    if (input === null ? known.length === 1 : known.includes(input)) return [];
    const where = places.value(['packages', name, 'patches', index]);
    const [message, fix] =
      known.length === 0
        ? ['patches change inputs, and the package has none', 'Add `inputs`, or remove `patches`']
        : input === null
          ? [
              'the package has several inputs, and the patch does not say which it changes',
              `Write { files: …, input: ${known[0]} }`,
            ]
          : [`unknown input "${input}"`, `Known: ${known.join(', ')}`];
    return [{ code: 'CONFIG_UNKNOWN_REFERENCE', message, fix, where }];
  });
}

function tooLarge(length: number, file: string): BevelstoneError {
  return new BevelstoneError('CONFIG_TOO_LARGE', {
    message: `${file} has ${length} characters`,
    why: `a configuration has at most ${maxConfigLength}`,
    fix: 'Check that this is the right file',
    where: { file },
  });
}

/** @param more mistakes that are not listed. */
function invalid(problems: readonly Problem[], file: string, more: number): BevelstoneError {
  const [first] = problems;
  const code: ErrorCode = 'CONFIG_INVALID';
  const count = problems.length === 1 ? 'one mistake' : `${problems.length + more} mistakes`;
  return new BevelstoneError(code, {
    message: `${file} has ${count}`,
    why:
      problems.length === 1
        ? (first?.message ?? '')
        : `${more === 0 ? 'each' : `each of the first ${problems.length}`} is listed with its place and what to do`,
    fix: first !== undefined && problems.length === 1 ? first.fix : 'Correct the lines named; nothing was done',
    ...(first?.where ? { where: first.where } : {}),
    problems,
  });
}
