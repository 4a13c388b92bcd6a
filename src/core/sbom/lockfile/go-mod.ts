import { type DependencyReader, dependencyReading, lockedPackage } from './reading.ts';

/** Before this version a go.mod names only a part of what others need (Go Modules Reference, "Module graph pruning"). */
const firstWhole = 17;

/** `go.mod` with `go.sum` beside it (Go Modules Reference, "go.mod files" and "go.sum files"). */
export const readGoMod: DependencyReader = (text, { file, beside }) => {
  const sumText = beside('go.sum');
  const sums = readSums(sumText ?? '');
  const replacements = readReplacements(text);
  const unknown: string[] = [];
  const required = lines(text, 'require').flatMap((line) => {
    const match = /^"?([^\s"]+)"?\s+(v\S+)/.exec(line);
    if (match === null) {
      unknown.push(`${file}: "${line.slice(0, 80)}" names no module with a version`);
      return [];
    }
    const [, module = '', version = ''] = match;
    const other = replacements.get(`${module} ${version}`) ?? replacements.get(module);
    // A replacement by a folder is first-party code.
    if (other !== undefined && other.version === null) return [];
    return [
      {
        asked: module,
        name: other?.name ?? module,
        version: other?.version ?? version,
        isIndirect: /\/\/\s*indirect\b/.test(line),
      },
    ];
  });
  const packages = required.map(({ asked, name, version, isIndirect }) => {
    const sum = sums.get(`${name} ${version}`);
    const parts = [
      asked === name ? null : `in place of ${asked}`,
      isIndirect ? 'needed by another module' : null,
      // `h1:` is a digest of a list of files, not of any one file, so neither format has a name for it.
      sum === undefined ? null : `go.sum says ${sum}`,
    ].filter((part) => part !== null);
    const comment = parts.length === 0 ? null : parts.join('; ');
    return lockedPackage({ key: `${name} ${version}`, type: 'golang', name, version, comment });
  });
  const version = /^go\s+1\.(\d+)/m.exec(text)?.[1];
  if (required.length > 0 && (version === undefined || Number(version) < firstWhole))
    unknown.push(`${file} is from before Go 1.${firstWhole}: it does not name all that its modules need in turn`);
  const absent = sumText === null ? required : required.filter(({ name, version }) => !sums.has(`${name} ${version}`));
  if (absent.length > 0)
    unknown.push(
      `go.sum beside ${file} has nothing for ${absent.map(({ name, version }) => `${name} ${version}`).join(', ')}`,
    );
  const needs = required.map(({ name, version, isIndirect }) => ({
    key: `${name} ${version}`,
    kind: 'run' as const,
    ...(isIndirect ? { isIndirect } : {}),
  }));
  return dependencyReading({ format: 'go.mod', packages, roots: new Map([['', needs]]), unknown });
};

function readSums(text: string): Map<string, string> {
  return new Map(
    text.split('\n').flatMap((line) => {
      const [name, version, sum] = line.trim().split(/\s+/);
      return name === undefined || version === undefined || sum === undefined || version.endsWith('/go.mod')
        ? []
        : [[`${name} ${version}`, sum] as const];
    }),
  );
}

/** Replacements by module, and by module and version for those that are for one version only. */
function readReplacements(text: string): Map<string, { readonly name: string; readonly version: string | null }> {
  return new Map(
    lines(text, 'replace').flatMap((line) => {
      const match = /^"?([^\s"]+)"?(?:\s+(v\S+))?\s+=>\s+"?([^\s"]+)"?(?:\s+(v\S+))?/.exec(line);
      if (match === null) return [];
      const [, module = '', only, name = '', version = null] = match;
      return [[only === undefined ? module : `${module} ${only}`, { name, version }] as const];
    }),
  );
}

/** Lines of a directive, alone or in brackets. */
function lines(text: string, directive: string): string[] {
  const plain = text.replace(/\r/g, '');
  const blocks = [...plain.matchAll(new RegExp(`^${directive}\\s*\\(([^)]*)\\)`, 'gm'))].flatMap((match) =>
    (match[1] ?? '').split('\n'),
  );
  const single = [...plain.matchAll(new RegExp(`^${directive}\\s+([^(\\s].*)$`, 'gm'))].map((match) => match[1] ?? '');
  return [...blocks, ...single].map((line) => line.trim()).filter((line) => line !== '' && !line.startsWith('//'));
}
