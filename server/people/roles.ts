export type Role = "coordinator" | "observer";
export type Person = { id: string; name: string; role: Role; organisationId: string };

/** Thrown where somebody may look but not act, or is not known. */
export class RefusedError extends Error {
  override readonly name = "RefusedError";
}

/** What a person asked for cannot be done as it stands; the message says what would be right. */
export class CannotError extends Error {
  override readonly name = "CannotError";
}

export function mustAct(person: Person): void {
  if (person.role !== "coordinator") throw new RefusedError(`${person.name} signed in as observer and may look but not act; sign in as coordinator to do this`);
}
