import type { ElfSymbol, ElfSymbols } from '../../facts/elf.ts';
import type { Item } from '../items.ts';
import { type CDeclaration, type CHeader, keyOf } from './read-header.ts';

/** A symbol of a library, or a declaration of a header. */
export type NativeDetail =
  | { readonly type: 'symbol'; readonly symbol: ElfSymbol }
  | { readonly type: 'declaration'; readonly declaration: CDeclaration; readonly header: CHeader }
  | { readonly type: 'file' };

/** A library by its name without a version. */
export type NativeLibrary = { readonly entry: string; readonly file: string; readonly elf: ElfSymbols };

/** Symbols of libraries. */
export function symbolItems({ entry, file, elf }: NativeLibrary): Item<NativeDetail>[] {
  // C++ compilers begin every name with `_Z`.
  const shown = elf.symbols.filter(({ name }) => !/^_(?!Z)/.test(name));
  return shown.map((symbol): Item<NativeDetail> => {
    const { name, version, kind, sizeBytes } = symbol;
    const full = version === null ? name : `${name}@${version}`;
    return {
      ...{ entry, name: full, key: full, owner: null, kind: 'symbol' },
      signature: `${kind} ${full}${kind === 'object' ? `, ${sizeBytes} bytes` : ''}`,
      place: { file, line: null },
      detail: { type: 'symbol', symbol },
    };
  });
}

/** Declarations of a header; constants of an enumeration belong to it. */
export function headerItems(header: CHeader, entry: string): Item<NativeDetail>[] {
  return [...header.declarations].map(([key, declaration]): Item<NativeDetail> => {
    const isOfEnum =
      declaration.kind === 'constant' && declaration.of !== '' && header.declarations.has(`enum ${declaration.of}`);
    return {
      ...{ entry, key, name: isTag(declaration) ? keyOf(declaration) : declaration.name },
      owner: isOfEnum && declaration.kind === 'constant' ? `enum ${declaration.of}` : null,
      kind: declaration.kind,
      signature: signatureOf(declaration),
      place: { file: header.path, line: declaration.line },
      detail: { type: 'declaration', declaration, header },
    };
  });
}

const isTag = ({ kind }: CDeclaration) => kind === 'struct' || kind === 'union' || kind === 'enum';

/** A declaration as a header writes it, without the names of parameters. */
export function signatureOf(declaration: CDeclaration): string {
  const { name } = declaration;
  switch (declaration.kind) {
    case 'function':
      return `${spaced(declaration.result)}${name}(${declaration.parameters.length === 0 ? 'void' : declaration.parameters.join(', ')})`;
    case 'variable':
      return `${spaced(declaration.type)}${name}`;
    case 'type':
      return `typedef ${spaced(declaration.type)}${name}`;
    case 'constant':
      return `${name} = ${declaration.value}`;
    case 'macro':
      return `#define ${name}${declaration.parameters === null ? '' : `(${declaration.parameters.join(', ')})`} ${declaration.value.slice(0, 120)}`;
    case 'enum':
      return `enum ${name}`;
    default: {
      const fields = declaration.fields?.map((one) => `${spaced(one.type)}${one.name};`).join(' ');
      return `${declaration.kind} ${name}${fields === undefined ? '' : ` { ${fields} }`}`;
    }
  }
}

const spaced = (type: string) => (type.endsWith('*') ? type : `${type} `);
