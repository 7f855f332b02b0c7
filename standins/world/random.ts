/** 32-bit mix of any number of integers and words (murmur3 finaliser over FNV-1a); the world's only source of chance. */
export function mix(...parts: readonly (number | string)[]): number {
  let h = 0x811c9dc5;
  const feed = (value: number): void => {
    h = Math.imul(h ^ value, 0x01000193);
    h ^= h >>> 13;
  };
  for (const part of parts) {
    if (typeof part === "string") for (let i = 0; i < part.length; i++) feed(part.charCodeAt(i));
    else {
      feed(part | 0);
      feed((part / 2 ** 32) | 0);
    }
    feed(0x9e37);
  }
  h ^= h >>> 16;
  h = Math.imul(h, 0x85ebca6b);
  h ^= h >>> 13;
  h = Math.imul(h, 0xc2b2ae35);
  return (h ^ (h >>> 16)) >>> 0;
}

export const uniform = (...parts: readonly (number | string)[]): number => (mix(...parts) + 0.5) / 2 ** 32;

/** Standard normal by Box and Muller from two uniforms. */
export const normal = (...parts: readonly (number | string)[]): number =>
  Math.sqrt(-2 * Math.log(uniform(...parts, 1))) * Math.cos(2 * Math.PI * uniform(...parts, 2));
