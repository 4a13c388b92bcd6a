import { inside } from '../../manifest/version-place/place.ts';
import { formsOnly, hasInside, type ProposalSearch, type Propose } from '../proposal.ts';

/**
 * A source archive, and an archive of what the build system installs on this platform. Each build system is asked to install
 * below `{out}` by its own means.
 */
export const proposeNative: Propose = async (search) => {
  const system = await buildSystem(search);
  if (system === null)
    return formsOnly(['source-archive'], ['no build system was found: only the sources are released']);
  const { tools, run, why } = system;
  return {
    tools,
    build: [{ run, why }],
    platforms: [search.platform],
    artifacts: [
      'form: source-archive',
      '{ form: tar.gz, name: "{package}-{version}-{platform}.tar.gz", files: [{ from: "{out}/{platform}", to: "." }] }',
    ],
    notes: [],
  };
};

type System = { readonly tools: readonly string[]; readonly run: string; readonly why: string };

async function buildSystem(search: ProposalSearch): Promise<System | null> {
  const to = '{out}/{platform}';
  if (hasInside(search, 'CMakeLists.txt')) {
    const text = (await search.read(inside(search.folder, 'CMakeLists.txt'))) ?? '';
    if (!/^\s*install\s*\(/im.test(text)) return null;
    const run = `cmake -B build -DCMAKE_BUILD_TYPE=Release && cmake --build build && cmake --install build --prefix ${to}`;
    return { tools: ['cmake', 'cc'], run, why: 'builds and installs below {out}' };
  }
  if (hasInside(search, 'meson.build')) {
    const run = `meson setup build --prefix=/ --buildtype=release && meson compile -C build && DESTDIR=${to} meson install -C build`;
    return { tools: ['meson', 'ninja', 'cc'], run, why: 'builds and installs below {out}' };
  }
  if (hasInside(search, 'configure.ac')) {
    const prepare = hasInside(search, 'configure') ? './configure' : 'autoreconf -fi && ./configure';
    // Autoconf's own default, -g -O2, writes the folder of the build into every binary.
    const run = `${prepare} --prefix=/ CFLAGS=-O2 CXXFLAGS=-O2 && make && make install DESTDIR=${to}`;
    const tools = ['make', 'cc', ...(hasInside(search, 'configure') ? [] : ['autoreconf'])];
    return { tools, run, why: 'builds and installs below {out}' };
  }
  const makefile =
    (await search.read(inside(search.folder, 'Makefile'))) ??
    (await search.read(inside(search.folder, 'GNUmakefile'))) ??
    '';
  if (!/^install\s*:/m.test(makefile)) return null;
  const prefix = /\b(prefix)\s*[:?]?=/.test(makefile)
    ? 'prefix=/'
    : /\bPREFIX\s*[:?]?=/.test(makefile)
      ? 'PREFIX=/'
      : '';
  if (!makefile.includes('DESTDIR')) {
    if (prefix === '') return null;
    return {
      tools: ['make', 'cc'],
      run: `make && make install ${prefix.slice(0, -1)}${to}`,
      why: 'builds and installs below {out}',
    };
  }
  return {
    tools: ['make', 'cc'],
    run: `make && make install ${prefix === '' ? '' : `${prefix} `}DESTDIR=${to}`,
    why: 'builds and installs below {out}',
  };
}
