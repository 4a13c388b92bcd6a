import { hexDigest } from '../digest.ts';
import { groupBy } from '../group-by.ts';
import type { DependencyKind } from '../sbom.ts';
import {
  type DependencyReader,
  dependencyReading,
  type LockedPackage,
  lockedPackage,
  type Need,
  repositoryQualifiers,
} from './reading.ts';

/** One project with what it needs, and the section that it stands in. */
type Spec = {
  readonly name: string;
  readonly version: string;
  readonly platform: string | null;
  readonly needs: string[];
  readonly section: Section;
};

type Section = { readonly title: string; readonly options: Map<string, string> };

/**
 * `Gemfile.lock`: sections of projects by where they come from, what they need indented below them, then what the Gemfile asks
 * for. Groups stand in the `Gemfile` alone, which is a program; blocks and options in their usual form are understood.
 */
export const readGemfileLock: DependencyReader = (text, { file, beside }) => {
  const { specs, wanted, sums, odd } = parseSections(text);
  if (specs.length === 0 && wanted.length === 0) return null;
  const unknown = odd.map((line) => `${file} has a line ${line} that no reader of this format knows`);
  const byName = groupBy(specs, ({ name }) => name);
  const isOwn = ({ section }: Spec) => section.title === 'PATH';
  const find = (name: string, by: string): Spec[] => {
    const found = byName.get(name) ?? [];
    // The manager itself is not locked.
    if (found.length === 0 && name !== 'bundler') unknown.push(`${file} has no entry for ${name}, which ${by} needs`);
    return found;
  };
  const keys = (found: readonly Spec[]) => found.filter((spec) => !isOwn(spec)).map(keyOf);
  const packages = specs
    .filter((spec) => !isOwn(spec))
    .map((spec) => ({
      ...toPackage(spec, sums.get(keyOf(spec)) ?? null),
      needs: spec.needs.flatMap((name) => keys(find(name, spec.name)).map((key) => ({ key, kind: 'run' as const }))),
    }));
  const groups = developmentNames(beside('Gemfile') ?? '');
  const direct = wanted.flatMap((name) =>
    keys(find(name, 'the Gemfile')).map((key): Need => ({ key, kind: groups.has(name) ? 'development' : 'run' })),
  );
  // What the workspace's own projects need is needed by its users.
  const ofOwn = specs
    .filter(isOwn)
    .flatMap((spec) =>
      spec.needs.flatMap((name) => keys(find(name, spec.name)).map((key): Need => ({ key, kind: 'run' }))),
    );
  const asked = new Map(wanted.map((name) => [name, null] as const));
  return dependencyReading({
    format: 'Gemfile lockfile',
    packages,
    roots: new Map([['', [...ofOwn, ...direct]]]),
    asked: new Map([['', asked]]),
    unknown,
  });
};

function keyOf({ name, version, platform }: Spec): string {
  return `${name} (${[version, platform].filter((part) => part !== null).join('-')})`;
}

function toPackage(spec: Spec, sum: string | null): LockedPackage {
  const { name, version, platform, section } = spec;
  const [algorithm = '', value = ''] = sum?.split('=') ?? [];
  const digest = hexDigest(algorithm, value);
  const remote = section.options.get('remote');
  const repository =
    section.title === 'GIT' && remote !== undefined
      ? repositoryQualifiers(remote, section.options.get('revision') ?? null)
      : {};
  return lockedPackage({
    key: keyOf(spec),
    type: 'gem',
    name,
    version,
    qualifiers: { ...repository, ...(platform === null ? {} : { platform }) },
    digests: digest === null ? [] : [digest],
    badDigest: sum !== null && digest === null ? sum : null,
  });
}

/** The two-level text: sections, then options and projects, then what each project needs. */
function parseSections(text: string): {
  readonly specs: Spec[];
  readonly wanted: string[];
  readonly sums: Map<string, string>;
  readonly odd: number[];
} {
  const specs: Spec[] = [];
  const wanted: string[] = [];
  const sums = new Map<string, string>();
  const odd: number[] = [];
  let section: Section = { title: '', options: new Map() };
  for (const [index, line] of text.split(/\r?\n/).entries()) {
    const [, indent = '', rest = ''] = /^( *)(.*)$/.exec(line) ?? [];
    if (rest === '') continue;
    const [, name = '', inBrackets] = /^([^\s!()]+)(?: \(([^)]*)\))?!?/.exec(rest) ?? [];
    if (indent.length === 0) section = { title: rest, options: new Map() };
    else if (section.title === 'DEPENDENCIES') wanted.push(name);
    else if (section.title === 'CHECKSUMS') {
      const sum = /\s(\w+=\S+)$/.exec(rest)?.[1];
      if (sum !== undefined) sums.set(`${name} (${inBrackets ?? ''})`, sum);
    } else if (!['GEM', 'GIT', 'PATH'].includes(section.title)) continue;
    else if (indent.length === 2)
      section.options.set(rest.split(':')[0] ?? '', rest.slice(rest.indexOf(':') + 1).trim());
    else if (indent.length === 4 && inBrackets !== undefined) {
      const [, version = inBrackets, platform = null] = /^([^-]+)-(.+)$/.exec(inBrackets) ?? [];
      specs.push({ name, version, platform, needs: [], section });
    } else if (indent.length === 6 && name !== '') specs.at(-1)?.needs.push(name);
    else odd.push(index + 1);
  }
  return { specs, wanted, sums, odd };
}

/** Names in blocks and options of the groups for developers. */
function developmentNames(gemfile: string): Set<string> {
  const names = new Set<string>();
  let depth: DependencyKind | null = null;
  for (const line of gemfile.split(/\r?\n/)) {
    const group = /^\s*group\s+(.*?)\s+do\b/.exec(line)?.[1];
    if (group !== undefined) depth = /:(?:development|test)\b/.test(group) ? 'development' : 'run';
    else if (/^end\b/.test(line)) depth = null;
    const name = /^\s*gem\s+["']([^"']+)["']/.exec(line)?.[1];
    if (
      name !== undefined &&
      (depth === 'development' || /group(?:s)?:?\s*(?:=>)?.*:(?:development|test)\b/.test(line))
    )
      names.add(name);
  }
  return names;
}
