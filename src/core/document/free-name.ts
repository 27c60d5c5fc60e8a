/** A name that nothing has yet: as wanted, or with the first number from 2 on that makes it free. */
export function freeName(wanted: string, taken: Iterable<string | undefined>): string {
  const known = new Set(taken);
  let name = wanted;
  for (let n = 2; known.has(name); n++) name = `${wanted} ${n}`;
  return name;
}
