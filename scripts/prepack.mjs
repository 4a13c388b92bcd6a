// Before `npm pack`: the tarball of a fresh clone contains the program.
import { buildProgram, installDependencies } from './prepare.mjs';

process.exitCode = installDependencies() && buildProgram() ? 0 : 1;
