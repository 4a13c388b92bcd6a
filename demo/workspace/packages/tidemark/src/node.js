import { readFile } from 'node:fs/promises';

export { stations } from './stations.js';
export { heightAt, tideTable } from './tide.js';

/** Reads a station from a JSON file. */
export async function readStation(file) {
  return JSON.parse(await readFile(file, 'utf8'));
}
