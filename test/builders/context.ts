import type { Context, ProgressEvent } from '../../src/flow/context.ts';
import { testEnvironment } from './repository.ts';

/** A context for a flow, with the events it reports. */
export function testContext(
  folder: string,
  more: Partial<Context> = {},
): Context & { readonly events: ProgressEvent[]; readonly warnings: () => string[] } {
  const events: ProgressEvent[] = [];
  return {
    folder,
    env: testEnvironment(),
    configFile: null,
    packages: [],
    programVersion: '0.1.0',
    programBuild: null,
    now: () => new Date('2026-11-23T08:00:00Z'),
    signal: new AbortController().signal,
    secrets: new Set(),
    report: (event) => events.push(event),
    askText: null,
    askSecret: async () => null,
    trust: { isConfigTrusted: true, ask: null },
    ...more,
    events,
    warnings: () => events.flatMap((event) => (event.type === 'warning' ? [event.text] : [])),
  };
}
