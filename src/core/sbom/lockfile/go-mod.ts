import { type DependencyReader, lockedPackage } from './reading.ts';

/** `go.mod` with `go.sum` beside it (Go Modules Reference, "go.mod files" and "go.sum files"). */
export const readGoMod: DependencyReader = (text, { beside }) => {
  const sums = new Map(
    (beside('go.sum') ?? '').split('\n').flatMap((line) => {
      const [name, version, sum] = line.trim().split(/\s+/);
      return name === undefined || version === undefined || sum === undefined || version.endsWith('/go.mod')
        ? []
        : [[`${name} ${version}`, sum] as const];
    }),
  );
  const replaced = new Map(
    lines(text, 'replace').flatMap((line) => {
      const match = /^(\S+)(?:\s+v\S+)?\s+=>\s+(\S+)(?:\s+(v\S+))?/.exec(line);
      return match === null ? [] : [[match[1] ?? '', { name: match[2] ?? '', version: match[3] ?? null }] as const];
    }),
  );
  const required = lines(text, 'require').flatMap((line) => {
    const match = /^(\S+)\s+(v\S+)/.exec(line);
    if (match === null) return [];
    const other = replaced.get(match[1] ?? '');
    // A replacement by a folder is first-party code.
    if (other !== undefined && other.version === null) return [];
    return [
      {
        name: other?.name ?? match[1] ?? '',
        version: other?.version ?? match[2] ?? '',
        isIndirect: /\/\/\s*indirect\b/.test(line),
      },
    ];
  });
  const packages = required.map(({ name, version }) => {
    const sum = sums.get(`${name} ${version}`);
    // `h1:` is a digest of a list of files, not of any one file, so neither format has a name for it.
    return lockedPackage({
      key: `${name} ${version}`,
      type: 'golang',
      name,
      version,
      comment: sum === undefined ? null : `go.sum says ${sum}`,
    });
  });
  const direct = required.filter(({ isIndirect }) => !isIndirect);
  const roots = new Map([
    ['', direct.map(({ name, version }) => ({ key: `${name} ${version}`, kind: 'run' as const }))],
  ]);
  return { format: 'go.mod', packages, roots, unknown: [] };
};

/** Lines of a directive, alone or in brackets. */
function lines(text: string, directive: string): string[] {
  const plain = text.replace(/\r/g, '');
  const blocks = [...plain.matchAll(new RegExp(`^${directive}\\s*\\(([^)]*)\\)`, 'gm'))].flatMap((match) =>
    (match[1] ?? '').split('\n'),
  );
  const single = [...plain.matchAll(new RegExp(`^${directive}\\s+([^(\\s].*)$`, 'gm'))].map((match) => match[1] ?? '');
  return [...blocks, ...single].map((line) => line.trim()).filter((line) => line !== '' && !line.startsWith('//'));
}
