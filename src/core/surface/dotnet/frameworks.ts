/** A target framework by its short name (".NET target frameworks"), as family and version. */
type Framework = {
  readonly family: 'net' | 'netcoreapp' | 'netstandard' | 'framework';
  readonly version: number;
  readonly platform: string;
};

function parse(name: string): Framework | null {
  const standard = /^(netstandard|netcoreapp)(\d+)\.(\d+)$/.exec(name);
  if (standard !== null)
    return {
      family: standard[1] as 'netstandard' | 'netcoreapp',
      version: Number(standard[2]) * 100 + Number(standard[3]),
      platform: '',
    };
  const modern = /^net(\d+)\.(\d+)(?:-(\w+?)[\d.]*)?$/.exec(name);
  if (modern !== null)
    return { family: 'net', version: Number(modern[1]) * 100 + Number(modern[2]), platform: modern[3] ?? '' };
  const old = /^net([1-4])(\d)(\d)?$/.exec(name);
  return old === null
    ? null
    : { family: 'framework', version: Number(old[1]) * 100 + Number(old[2]) * 10 + Number(old[3] ?? 0), platform: '' };
}

/** Which of the offered frameworks a project of another one gets; null for none. */
export function servedBy(name: string, offered: readonly string[]): string | null {
  if (offered.includes(name)) return name;
  const wanted = parse(name);
  if (wanted === null) return null;
  const ranked = offered
    .map((candidate) => ({ candidate, rank: rankOf(wanted, parse(candidate)) }))
    .filter(({ rank }) => rank >= 0)
    .sort((a, b) => b.rank - a.rank);
  return ranked[0]?.candidate ?? null;
}

/** The higher the nearer; negative for one that does not fit. */
function rankOf(wanted: Framework, offered: Framework | null): number {
  if (offered === null || (offered.platform !== '' && offered.platform !== wanted.platform)) return -1;
  const steps = { net: 3, framework: 3, netcoreapp: 2, netstandard: 1 };
  const rank = steps[offered.family] * 10_000 + offered.version;
  if (offered.family === wanted.family) return offered.version <= wanted.version ? rank : -1;
  if (wanted.family === 'net') return offered.family === 'framework' ? -1 : rank;
  const standard = offered.family === 'netstandard' ? offered.version : Number.POSITIVE_INFINITY;
  // netstandard 2.1 came with .NET Core 3.0; the old framework has 2.0 from 4.6.1 on.
  if (wanted.family === 'netcoreapp') return standard <= (wanted.version >= 300 ? 201 : 200) ? rank : -1;
  if (wanted.family === 'framework')
    return standard <= (wanted.version >= 461 ? 200 : 103) && wanted.version >= 450 ? rank : -1;
  return -1;
}
