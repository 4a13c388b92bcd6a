/** Where a test build can be made to die: before a step's effect, between effect and record, after the record. */
export type FaultMoment = 'before' | 'after-effect' | 'after-done';

const isTestBuild = process.env['BEVELSTONE_TEST_BUILD'] === 'yes';

/** Now; in a test build whatever `BEVELSTONE_NOW` says, so that two runs can be compared byte by byte. */
export function currentTime(): Date {
  const set = isTestBuild ? process.env['BEVELSTONE_NOW'] : undefined;
  return set === undefined ? new Date() : new Date(set);
}

/**
 * In a test build, kills the program at once when `BEVELSTONE_FAULT` names this very moment as `STEP:KEY:MOMENT`; `*` as a
 * key fits the first of all. In any other build this is nothing.
 */
export function faultPoint(step: string, key: string, moment: FaultMoment): void {
  if (!isTestBuild) return;
  const named = process.env['BEVELSTONE_FAULT'] ?? '';
  if (named === `${step}:${key}:${moment}` || named === `${step}:*:${moment}`) process.kill(process.pid, 'SIGKILL');
}
