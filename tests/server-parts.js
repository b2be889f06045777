/**
 * The parts of the server and which each may read, from the table of docs/architecture.md. Plain JavaScript: the lint's own
 * configuration reads it.
 * @param {string} text
 * @returns {Map<string, string[]>}
 */
export const serverParts = (text) =>
  new Map(
    [...text.matchAll(/^\| `([a-z-]+)` \|(.*)\|$/gm)].map(([, part = '', others = '']) => [
      part,
      [...others.matchAll(/`([a-z-]+)`/g)].map(([, other = '']) => other)
    ])
  );
