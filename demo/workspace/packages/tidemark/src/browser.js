export { stations } from './stations.js';
export { heightAt, tideTable } from './tide.js';

/** Reads a station from an address. */
export async function readStation(address) {
  const answer = await fetch(address);
  if (!answer.ok) throw new Error(`no station at ${address}`);
  return answer.json();
}
