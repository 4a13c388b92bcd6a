import fc from 'fast-check';
import { isFull } from './extent.ts';

// Every property that does not say how often it is tried.
if (isFull) fc.configureGlobal({ numRuns: 3000 });
