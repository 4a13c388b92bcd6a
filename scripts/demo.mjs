// The main job, end to end, with demo data: needs Node and git only.
import { buildProgram, installDependencies, run } from './prepare.mjs';

const isReady = installDependencies() && buildProgram();
process.exitCode =
  isReady && run('bevelstone demo', process.execPath, ['dist/main.js', 'demo', ...process.argv.slice(2)]) ? 0 : 1;
