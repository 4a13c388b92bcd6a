import type { DeploymentList } from '../../flow/deploy/deploy-list.ts';
import type { Command } from '../command.ts';
import { deploymentsJson, renderDeployments } from '../view/deploy-list.ts';

/** `bevelstone deploy list`. */
export const deployList: Command<Record<string, never>, DeploymentList> = {
  options: (yargs) => yargs,
  examples: [
    ['deploy list', 'What is deployed where, and who did it'],
    ['deploy list -p harmonics --json', 'The whole history of one package'],
  ],
  parse: () => ({}),
  run: async (_, context) => {
    const flow = await import('../../flow/deploy/deploy-list.ts');
    return { result: await flow.listDeployments(context) };
  },
  render: renderDeployments,
  toJson: deploymentsJson,
};
