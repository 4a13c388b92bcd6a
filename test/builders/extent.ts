/** Whether every part of the suite is run at its full length: `npm run test:full`. */
export const isFull = process.env['BEVELSTONE_TESTS'] === 'full';

/** How much of something a test does: enough to notice a fault, or all of it. */
export function extent(short: number, full: number): number {
  return isFull ? full : short;
}
