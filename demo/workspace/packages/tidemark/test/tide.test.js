import assert from 'node:assert/strict';
import test from 'node:test';
import { stations } from '../src/stations.js';
import { heightAt } from '../src/tide.js';

test('heights stay near the mean', () => {
  assert.ok(Math.abs(heightAt(stations.bar, new Date(0)) - stations.bar.mean) < 2.5);
});
