import { heightAt } from 'tidemark';

/** Reads lines of `TIME HEIGHT`; anything else is passed over. */
export function parseLog(text) {
  return text.split('\n').flatMap((line) => {
    const [time, height] = line.split(' ');
    const at = new Date(time);
    return Number.isNaN(at.getTime()) ? [] : [{ at, metres: Number(height) }];
  });
}

/** How far each reading stands above the computed tide, in metres. */
export function surge(readings, station) {
  return readings.map(({ at, metres }) => ({ at, metres: metres - heightAt(station, at) }));
}
