export type Constituent = { name: string; amplitude: number; speed: number; phase: number };
export type Station = { name: string; mean: number; constituents: Constituent[] };
export type Tide = { kind: 'high' | 'low'; at: Date; metres: number };

export const stations: Record<string, Station>;
export function heightAt(station: Station, date: Date): number;
export function tideTable(station: Station, date: Date): Tide[];
export function readStation(place: string): Promise<Station>;
