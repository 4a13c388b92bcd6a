/** Whether an exported name is public by habit: a leading underscore, before anything, says that it is not. */
export function isPublicExport(name: string): boolean {
  return !/^_./.test(name);
}
