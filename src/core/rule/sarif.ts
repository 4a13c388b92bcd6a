import type { Finding, Rule } from './rule.ts';

/** What a log is made of. */
export type SarifInput = {
  readonly programVersion: string;
  readonly rules: readonly Rule[];
  readonly artifacts: readonly { readonly file: string; readonly findings: readonly Finding[] }[];
};

const levels = { refuse: 'error', warn: 'warning', note: 'note' } as const;

/**
 * Findings as a log of the Static Analysis Results Interchange Format (SARIF 2.1.0, OASIS standard with errata 01). Entries
 * stand as nested artifacts of the file they are in (§3.24.3, §3.24.9); exceptions as suppressions (§3.35).
 */
export function formatSarif({ programVersion, rules, artifacts }: SarifInput): object {
  const listed: object[] = [];
  const results = artifacts.flatMap(({ file, findings }) => {
    const parentIndex = listed.push({ location: { uri: toUri(file) }, roles: ['analysisTarget'] }) - 1;
    const nested = new Map<string, number>();
    return findings.map((finding) => {
      const index = finding.path === null ? parentIndex : (nested.get(finding.path) ?? add(finding.path));
      return toResult(finding, rules, index);
    });
    function add(path: string): number {
      // §3.24.2: the location of a nested artifact is its path in the container, from a slash on.
      const index = listed.push({ location: { uri: `/${toUri(path.replace(/^\/+/, ''))}` }, parentIndex }) - 1;
      nested.set(path, index);
      return index;
    }
  });
  return {
    $schema: 'https://docs.oasis-open.org/sarif/sarif/v2.1.0/errata01/os/schemas/sarif-schema-2.1.0.json',
    version: '2.1.0',
    runs: [
      {
        tool: { driver: { name: 'Bevelstone', semanticVersion: programVersion, rules: rules.map(toDescriptor) } },
        columnKind: 'utf16CodeUnits',
        artifacts: listed,
        results,
      },
    ],
  };
}

function toDescriptor({ id, severity, what, why, fix, example }: Rule): object {
  return {
    id,
    shortDescription: { text: what },
    fullDescription: { text: `${what}. ${why}.` },
    help: { text: `${fix}. Example: ${example}` },
    defaultConfiguration: { level: levels[severity] },
  };
}

function toResult({ rule, severity, message, fix, excepted }: Finding, rules: readonly Rule[], index: number): object {
  return {
    ruleId: rule,
    ruleIndex: rules.findIndex(({ id }) => id === rule),
    level: levels[severity],
    message: { text: `${message}. ${fix}.` },
    locations: [{ physicalLocation: { artifactLocation: { index } } }],
    ...(excepted === null ? {} : { suppressions: [{ kind: 'external', status: 'accepted', justification: excepted }] }),
  };
}

/** A path as a URI reference (RFC 3986 §4.2). */
function toUri(path: string): string {
  return path.split('/').map(encodeURIComponent).join('/');
}
