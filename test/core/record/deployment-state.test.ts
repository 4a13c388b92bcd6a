import { describe, expect, it } from 'vitest';
import {
  type DeploymentState,
  deploymentId,
  emptyState,
  formatDeployedFiles,
  formatDeploymentState,
  parseDeployedFiles,
  parseDeploymentState,
} from '../../../src/core/record/deployment-state.ts';

const id = deploymentId('1.4.0-rc.1', '20261102-093000-1f2e3d4c');
const state: DeploymentState = {
  name: 'harbour',
  current: id,
  pending: null,
  deployments: [
    {
      id,
      package: 'tidemark',
      version: '1.4.0-rc.1',
      artifact: 'tidemark-1.4.0-rc.1.tar.gz',
      sha256: 'a'.repeat(64),
      commit: 'b'.repeat(40),
      at: '2026-11-02T09:30:00.000Z',
      by: 'Harbour desk',
      before: null,
      parts: [{ from: 'lib', to: '/opt/tides', isCopied: false }],
      files: 3,
      result: 'deployed',
    },
  ],
};
const [deployment] = state.deployments;

describe('the state of a target', () => {
  it.each([
    ['with a deployment', state],
    ['that is empty', emptyState('harbour')],
  ])('is read as it was written %s', (_, value) => {
    const parsed = parseDeploymentState(formatDeploymentState(value));

    expect(parsed).toMatchObject({ type: 'record', record: value });
  });

  it.each<[string, object]>([
    ['an id that leads elsewhere', { current: '../../../etc-20261102-093000-1f2e3d4c' }],
    ['a current deployment that is not described', { deployments: [] }],
    ['one deployment twice', { deployments: [deployment, deployment] }],
    [
      'a pending one that is not described',
      { pending: { id: `2.0.0-20261102-093000-1f2e3d4c`, kind: 'forward', run: '20261102-093000-1f2e3d4c' } },
    ],
    [
      'a part that leads out',
      { deployments: [{ ...deployment, parts: [{ from: 'lib', to: '/opt/../etc', isCopied: true }] }] },
    ],
    [
      'a part from outside',
      { deployments: [{ ...deployment, parts: [{ from: '../lib', to: '/opt', isCopied: true }] }] },
    ],
    [
      'a part at a relative path',
      { deployments: [{ ...deployment, parts: [{ from: 'lib', to: 'opt', isCopied: true }] }] },
    ],
    ['text with control characters', { deployments: [{ ...deployment, by: 'x\u001b[2J' }] }],
  ])('is damaged with %s', (_, change) => {
    const text = JSON.stringify({ schema: 'bevelstone/1', ...state, ...change });

    expect(parseDeploymentState(text).type).toBe('damaged');
  });

  it('of a newer program is left alone', () => {
    expect(parseDeploymentState('{"schema":"bevelstone/7"}')).toEqual({ type: 'newer', format: 'bevelstone/7' });
  });
});

describe('the files of a deployed release', () => {
  const low = { path: 'lib/low.js', type: 'file', mode: 0o644, sha256: 'c'.repeat(64), linkname: null } as const;

  it('are read as they were written', () => {
    expect(parseDeployedFiles(formatDeployedFiles([low]))).toMatchObject({ type: 'record', record: { files: [low] } });
  });

  it.each([
    ['a path that leads out', { path: '../low.js' }],
    ['an absolute path', { path: '/etc/passwd' }],
    ['a link without a target', { type: 'symlink' }],
    ['a file with a target', { linkname: 'x' }],
    ['a digest that is none', { sha256: 'x' }],
  ])('are damaged with %s', (_, change) => {
    const text = JSON.stringify({ schema: 'bevelstone/1', files: [{ ...low, ...change }] });

    expect(parseDeployedFiles(text).type).toBe('damaged');
  });
});
