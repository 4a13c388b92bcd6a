import { formatBytes } from '../../core/text/bytes.ts';
import type { DeploymentList, RecordedDeployment } from '../../flow/deploy/deploy-list.ts';
import { partialText } from './deploy.ts';
import { blank, type Screen, signText } from './screen.ts';
import { numberColumn, pathColumn, renderTable } from './table.ts';

const words: Readonly<Record<RecordedDeployment['result'], readonly ['done' | 'nothing' | 'refused', string]>> = {
  deployed: ['done', 'deployed'],
  returned: ['done', 'returned to'],
  failed: ['refused', 'failed'],
};

/** The last deployment of each target, one line each. */
export function renderDeployments({ deployments, partials }: DeploymentList, screen: Screen): string {
  if (deployments.length + partials.length === 0) return 'No deployment is configured or on record';
  const rows = deployments.map(({ deployment, last, isConfigured }) => {
    const name = isConfigured ? deployment : `${deployment} (no longer configured)`;
    if (last === null)
      return [name, blank(screen), `${signText('nothing', screen)} nothing yet`, ...Array(3).fill(blank(screen))];
    const [mark, word] = words[last.result];
    return [
      name,
      `${last.package} ${last.version}${partialText(last)}`,
      `${signText(mark, screen)} ${word}`,
      `${last.at.slice(0, 16).replace('T', ' ')} UTC`,
      last.by.replace(/ <.*$/, ''),
      last.target,
    ];
  });
  const columns = ['deployment', 'release', 'state', 'when', 'by', 'target'];
  const table = rows.length === 0 ? '' : renderTable({ columns, rows, screen });
  return [table, renderPartials(partials, screen)].filter((block) => block !== '').join('\n\n');
}

/** Archives with only some changes, and where they are; '' for none. */
export function renderPartials(partials: DeploymentList['partials'], screen: Screen): string {
  if (partials.length === 0) return '';
  const rows = partials.map(({ file, package: name, base, entries, removed, size, issues, deployedTo }) => [
    file,
    `${name} ${base}`,
    `${entries}${removed === 0 ? '' : `, ${removed} removed`}`,
    formatBytes(size),
    issues.join(', ') || blank(screen),
    deployedTo.join(', ') || blank(screen),
  ]);
  const columns = [
    pathColumn('archive of some changes'),
    'needs',
    'entries',
    numberColumn('size'),
    'issues',
    'deployed to',
  ];
  return renderTable({ columns, rows, screen });
}

/** The `result` of `deploy list --json`. */
export function deploymentsJson({ deployments, partials }: DeploymentList): unknown {
  return {
    partials,
    deployments: deployments.map(({ deployment, isConfigured, last, events }) => ({
      deployment,
      isConfigured,
      package: last?.package ?? null,
      version: last?.version ?? null,
      target: last?.target ?? null,
      events,
    })),
  };
}
