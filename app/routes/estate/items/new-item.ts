/** Stands in the address in place of an id. */
export const NEW_ITEM = "new";
