/** Room in a store: nominal bytes. `fullInSeconds` follows the growth of a measured stretch straight on; null where it does not grow. */
export type StoreRoom = { used: number; capacity: number; grownPerDay: number; fullInSeconds: number | null };

export function storeRoom(capacity: number, used: number, grown: number, overSeconds: number): StoreRoom {
  const perSecond = overSeconds > 0 ? grown / overSeconds : 0;
  const left = Math.max(0, capacity - used);
  return { used, capacity, grownPerDay: perSecond * 86_400, fullInSeconds: perSecond > 0 ? left / perSecond : null };
}
