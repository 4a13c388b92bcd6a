// Makes the two builds: each source with its imports folded in, and the version written on top.
import { mkdir, readFile, writeFile } from 'node:fs/promises';

const version = process.env.BEVELSTONE_VERSION ?? '0.0.0';
const read = (name) => readFile(new URL(`../src/${name}`, import.meta.url), 'utf8');
const out = new URL('../dist/', import.meta.url);

await mkdir(out, { recursive: true });
const shared = `${await read('tide.js')}\n${await read('stations.js')}`;
for (const target of ['node', 'browser']) {
  const own = (await read(`${target}.js`)).replace(/^export \{.*\} from .*\n/gm, '');
  await writeFile(new URL(`${target}.js`, out), `// tidemark ${version}, ${target}\n${own}\n${shared}`);
}
await writeFile(new URL('index.d.ts', out), await readFile(new URL('../types/index.d.ts', import.meta.url)));
console.log(`built tidemark ${version} for Node and browsers`);
