import { afterEach, expect, it } from 'vitest';
import { makeObjectStoreClient } from '../../src/world/object-store-client.ts';

const variable = 'AWS_SDK_JS_NODE_VERSION_SUPPORT_WARNING_DISABLED';
const place = { url: 'http://127.0.0.1:9', region: null, pathStyle: true, credential: { type: 'none' } } as const;

afterEach(() => {
  delete process.env[variable];
});

it.each([[undefined], ['false']])('a client leaves the environment of build steps as it was: %s', (value) => {
  if (value !== undefined) process.env[variable] = value;
  const before = { ...process.env };

  makeObjectStoreClient(place).client.destroy();

  expect({ ...process.env }).toEqual(before);
});
