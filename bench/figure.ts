/** One figure: a measured value against a reference measured in the same run. */
export type Figure = { name: string; unit: string; value: number; reference: number; ratio: number; meaning: string };
