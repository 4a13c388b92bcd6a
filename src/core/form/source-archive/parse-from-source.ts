import type { PackageConfig } from '../../config/config.ts';
import { parseConfig } from '../../config/parse-config.ts';
import { isInnerPath } from '../../contents/safe-path.ts';
import { BevelstoneError, isBevelstoneError } from '../../error/bevelstone-error.ts';
import { ecosystems } from '../../name/ecosystem.ts';
import {
  type Check,
  isCommit,
  isCount,
  isOneOf,
  isPackageName,
  isString,
  isVersionText,
  list,
  nullable,
  openObject,
  orNull,
  problemIn,
  type Schema,
} from '../../record/schema.ts';
import { parseJson } from '../../text/json.ts';
import type { FromSource } from './from-source.ts';

/** What a source archive says of its build, and the configuration that this is. */
export type ReadFromSource = { readonly source: FromSource; readonly config: PackageConfig };

const isFolder: Check = (value) => value === '' || isInnerPath(value);
const isAnything: Check = (value) => typeof value === 'object' && value !== null;

const need = openObject({ name: isString, range: isString });

const note = openObject({
  summary: isString,
  scope: orNull(isString),
  commit: isString,
  breaking: orNull(isString),
  issues: list(isString),
});

const streamTypes = ['stable', 'maintained', 'labelled', 'preview'] as const;

const schema: Schema = openObject({
  schema: isOneOf('bevelstone/from-source/1'),
  package: isPackageName,
  name: isString,
  ecosystem: isOneOf(...ecosystems),
  version: isVersionText,
  commit: isCommit,
  time: isCount,
  folder: isFolder,
  platforms: list(isString),
  tools: list(openObject({ name: isString, range: orNull(isString) })),
  needs: openObject({ build: list(need), run: list(need) }),
  inputs: list(isAnything),
  steps: list(
    openObject({
      name: isString,
      run: isString,
      in: isString,
      env: isAnything,
      platform: orNull(isString),
      seconds: isCount,
    }),
  ),
  install: (value) => value === null || Array.isArray(value),
  helpers: list(isString),
  made: list(isInnerPath),
  release: openObject({
    program: isString,
    artifacts: list(isAnything),
    'built-for': isString,
    manifest: orNull(isInnerPath),
    supplier: orNull(isString),
    stream: openObject({ type: isOneOf(...streamTypes), name: isString }),
    notes: nullable(
      openObject({
        package: isString,
        version: orNull(isString),
        range: isString,
        date: isString,
        intro: orNull(isString),
        sections: list(openObject({ title: isString, items: list(note) })),
        contributors: list(isString),
      }),
    ),
  }),
});

/** Reads `from-source.json`; steps and artifacts are held to the rules of bevelstone.yaml. @throws FROM_SOURCE_INVALID */
export function parseFromSource(text: string, file: string): ReadFromSource {
  let value: unknown;
  try {
    value = parseJson(text);
  } catch {
    throw invalid(file, 'it is not JSON');
  }
  const problem = problemIn(value, schema);
  if (problem !== null) throw invalid(file, problem);
  const source = value as FromSource;
  return { source, config: configOf(source, file) };
}

function configOf(
  { steps, tools, platforms, release, ecosystem, package: name }: FromSource,
  file: string,
): PackageConfig {
  const entry = {
    ecosystem,
    platforms,
    tools: tools.map(({ name: tool, range }) => (range === null ? tool : `${tool} ${range}`)),
    build: steps.map(({ name: title, run, in: folder, env, platform, seconds }) => ({
      ...{ name: title, run, in: folder, env, 'at-most': `${seconds} s` },
      ...(platform === null ? {} : { for: platform }),
    })),
    artifacts: release.artifacts,
    'built-for': release['built-for'],
  };
  try {
    const { packages } = parseConfig(JSON.stringify({ schema: 1, packages: { [name]: entry } }), file);
    const read = Object.hasOwn(packages, name) ? packages[name] : undefined;
    if (read !== undefined) return read;
  } catch (error) {
    if (!isBevelstoneError(error, 'CONFIG_INVALID', 'CONFIG_TOO_LARGE')) throw error;
    throw invalid(file, error.problems[0]?.message ?? error.why);
  }
  throw invalid(file, `\`package\` cannot be ${name}`);
}

function invalid(file: string, why: string): BevelstoneError {
  return new BevelstoneError('FROM_SOURCE_INVALID', {
    message: `${file} does not say how these sources are built`,
    why,
    fix: 'Use a source archive that Bevelstone made (form `source-archive`), or build it by hand',
    where: { file },
  });
}
