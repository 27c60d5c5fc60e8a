/** So many of something, in words: “1 guide”, “3 guides”, “2 meshes”. */
export const many = (n: number, what: string, more = `${what}s`): string => `${n} ${n === 1 ? what : more}`;
