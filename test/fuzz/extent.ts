import { writeFileSync } from 'node:fs';

/** Minutes that each part goes on for, as `BEVELSTONE_FUZZ_MINUTES` says; null for the fixed number of rounds of the suite. */
const minutes =
  process.env['BEVELSTONE_FUZZ_MINUTES'] === undefined ? null : Number(process.env['BEVELSTONE_FUZZ_MINUTES']);

/** The seed of a part: the same in the suite at every run, another one for each run by hand. */
export function seedOf(name: string): number {
  const fixed = [...name].reduce((sum, letter) => (sum * 31 + letter.charCodeAt(0)) >>> 0, 20);
  return minutes === null ? fixed : (fixed + Number(process.env['BEVELSTONE_FUZZ_SEED'] ?? Date.now())) >>> 0;
}

/**
 * As many rounds as the suite has, or as fit into the minutes.
 * @param share of a thousand rounds, and of the minutes.
 */
export async function* rounds(share: number): AsyncGenerator<number> {
  if (minutes === null) {
    for (let round = 0; round < 1000 * share; round++) yield round;
    return;
  }
  const end = performance.now() + minutes * share * 60_000;
  let round = 0;
  for (; performance.now() < end; round++) yield round;
  process.stderr.write(`${round} rounds\n`);
}

/** Writes down what is tried next, to find what ends the process or never ends. */
export function trace(name: string, input: string | Buffer): void {
  const file = process.env['BEVELSTONE_FUZZ_TRACE'];
  if (file !== undefined) writeFileSync(file, typeof input === 'string' ? `${name}\n${input}` : input);
}
