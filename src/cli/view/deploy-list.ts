import type { DeploymentList, RecordedDeployment } from '../../flow/deploy/deploy-list.ts';
import { blank, type Screen, signText } from './screen.ts';
import { renderTable } from './table.ts';

const words: Readonly<Record<RecordedDeployment['result'], readonly ['done' | 'nothing' | 'refused', string]>> = {
  deployed: ['done', 'deployed'],
  returned: ['done', 'returned to'],
  failed: ['refused', 'failed'],
};

/** The last deployment of each target, one line each. */
export function renderDeployments({ deployments }: DeploymentList, screen: Screen): string {
  if (deployments.length === 0) return 'No deployment is configured or on record';
  const rows = deployments.map(({ deployment, last, isConfigured }) => {
    const name = isConfigured ? deployment : `${deployment} (no longer configured)`;
    if (last === null)
      return [name, blank(screen), `${signText('nothing', screen)} nothing yet`, ...Array(3).fill(blank(screen))];
    const [mark, word] = words[last.result];
    return [
      name,
      `${last.package} ${last.version}`,
      `${signText(mark, screen)} ${word}`,
      `${last.at.slice(0, 16).replace('T', ' ')} UTC`,
      last.by.replace(/ <.*$/, ''),
      last.target,
    ];
  });
  return renderTable({ columns: ['deployment', 'release', 'state', 'when', 'by', 'target'], rows, screen });
}

/** The `result` of `deploy list --json`. */
export function deploymentsJson({ deployments }: DeploymentList): unknown {
  return {
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
