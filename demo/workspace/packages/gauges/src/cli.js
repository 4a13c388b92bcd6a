#!/usr/bin/env node
import { readFileSync } from 'node:fs';
import { stations } from 'tidemark';
import { parseLog, surge } from './index.js';

const station = stations[process.argv[2] ?? 'bar'];
for (const { at, metres } of surge(parseLog(readFileSync(0, 'utf8')), station)) {
  console.log(`${at.toISOString()} ${metres.toFixed(2)} m`);
}
