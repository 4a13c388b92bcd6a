import type { LayoutName } from '../name/protocol.ts';
import { crateIndex } from './crate-index/layout.ts';
import { goProxy } from './go-proxy/layout.ts';
import type { Layout } from './layout.ts';
import { mavenFiles } from './maven-layout/layout.ts';
import { npmStatic } from './npm-static/layout.ts';
import { nugetStatic } from './nuget-static/layout.ts';
import { simpleIndex } from './simple-index/layout.ts';

/** The rules of every layout. */
export const layoutRules: Readonly<Record<LayoutName, Layout>> = {
  'maven-layout': mavenFiles,
  'simple-index': simpleIndex,
  'npm-static': npmStatic,
  'crate-index': crateIndex,
  'go-proxy': goProxy,
  'nuget-static': nugetStatic,
};
