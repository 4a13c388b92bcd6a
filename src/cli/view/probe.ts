import { mostSkewMs } from '../../core/protocol/clock-skew.ts';
import { cleanText } from '../../core/text/clean.ts';
import type { Probe, ProbedDestination, ProbedPackage } from '../../flow/deliver/probe.ts';
import { blank, type Mark, type Screen, signText } from './screen.ts';
import { renderTable } from './table.ts';

/** Destinations side by side: one line each, then one per package and destination. */
export function renderProbe({ destinations, kept }: Probe, screen: Screen): string {
  if (destinations.length === 0) return 'No package is sent anywhere: there is nothing to probe';
  const rows = destinations.map((one) => [
    `${signText(markOf(one), screen)} ${cleanText(one.name)}`,
    one.speaks,
    one.reachable ? 'reachable' : 'not reachable',
    credentialText(one),
    one.skewMs === null
      ? blank(screen)
      : Math.abs(one.skewMs) > mostSkewMs
        ? `${Math.round(one.skewMs / 60_000)} min off`
        : 'same',
  ]);
  const columns = ['destination', 'speaks', 'connection', 'credential', 'clock'];
  const packages = destinations.flatMap(({ name, packages: own }) =>
    own.map((one) => [
      `${signText(markOfPackage(one), screen)} ${one.name}`,
      one.version ?? blank(screen),
      name,
      one.nameState === 'unknown' ? 'in use' : one.nameState,
      one.version === null ? blank(screen) : one.versionState === 'there' ? 'used already' : one.versionState,
      one.opens === 'more'
        ? 'can publish other packages too'
        : one.opens === 'this package'
          ? 'for this package alone'
          : blank(screen),
    ]),
  );
  const titles = ['package', 'version', 'at', 'name', 'the version is', 'token'];
  const lines = [screen.colours.bold('Destinations'), '', renderTable({ columns, rows, screen })];
  if (packages.length > 0) lines.push('', renderTable({ columns: titles, rows: packages, screen }));
  lines.push('', ...destinations.map(({ name, url }) => `    ${cleanText(name)} is ${cleanText(url)}`));
  if (kept !== null) lines.push('', `The credential is kept in ${cleanText(kept)}`);
  return lines.join('\n');
}

function markOf({ reachable, credential, skewMs }: ProbedDestination): Mark {
  if (!reachable || credential === 'refused' || credential === 'missing') return 'refused';
  return skewMs !== null && Math.abs(skewMs) > mostSkewMs ? 'warning' : 'done';
}

function markOfPackage({ nameState, versionState, opens }: ProbedPackage): Mark {
  if (nameState === 'taken' || versionState === 'there') return 'refused';
  return opens === 'more' ? 'warning' : 'done';
}

function credentialText({ credential, why, reachable }: ProbedDestination): string {
  if (credential === 'accepted') return why === null ? 'accepted' : `accepted ${why}`;
  if (credential === 'unknown') return reachable ? 'cannot be asked' : 'not asked';
  return credential === 'none' ? 'none given' : credential;
}

/** The `result` of `probe --json`. */
export function probeJson({ destinations, kept }: Probe): unknown {
  return { destinations, kept };
}
