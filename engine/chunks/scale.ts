/**
 * How many nominal bytes a block stands for, and how many real bytes carry it.
 * Real sources are one to one; stand-in disks carry a nominal 64 MiB in 256 real bytes.
 * All accounting is by nominal length.
 */
export type Scale = { readonly nominalBlock: number; readonly realBlock: number };

/** 256 KiB: small enough that a scattered change moves little, large enough that the index stays small. */
export const ONE_TO_ONE: Scale = { nominalBlock: 262_144, realBlock: 262_144 };

export const isOneToOne = (scale: Scale): boolean => scale.nominalBlock === scale.realBlock;

/** Real bytes that carry the given nominal length of a block (the last block of a disk may be short). */
export const realLength = (scale: Scale, nominal: number): number =>
  isOneToOne(scale) ? nominal : Math.max(1, Math.ceil((nominal * scale.realBlock) / scale.nominalBlock));

export const sameScale = (a: Scale, b: Scale): boolean => a.nominalBlock === b.nominalBlock && a.realBlock === b.realBlock;
