import picocolors from 'picocolors';
import type { Screen } from '../../src/cli/view/screen.ts';

/** A terminal without colours, 80 columns wide unless said otherwise. */
export function testScreen(parts: Partial<Screen> = {}): Screen {
  return {
    columns: 80,
    isTerminal: true,
    isUnicode: true,
    isVerbose: false,
    colours: picocolors.createColors(false),
    ...parts,
  };
}
