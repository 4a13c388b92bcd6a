const hour = 3_600_000;
const epoch = Date.UTC(2000, 0, 1);

/** Height of the tide in metres above Fenmarsh Datum. */
export function heightAt(station, date) {
  const hours = (date.getTime() - epoch) / hour;
  let height = station.mean;
  for (const { amplitude, speed, phase } of station.constituents) {
    height += amplitude * Math.cos(((speed * hours - phase) * Math.PI) / 180);
  }
  return height;
}

/** High and low waters of one UTC day. */
export function tideTable(station, date) {
  const start = Date.UTC(date.getUTCFullYear(), date.getUTCMonth(), date.getUTCDate());
  const step = 60_000;
  const tides = [];
  for (let time = start; time < start + 24 * hour; time += step) {
    const before = heightAt(station, new Date(time - step));
    const here = heightAt(station, new Date(time));
    const after = heightAt(station, new Date(time + step));
    if (here >= before && here > after) tides.push(tide('high', time, here));
    if (here <= before && here < after) tides.push(tide('low', time, here));
  }
  return tides;
}

function tide(kind, time, height) {
  return { kind, at: new Date(time), metres: Math.floor(height * 10) / 10 };
}
