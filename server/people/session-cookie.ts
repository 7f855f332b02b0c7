const NAME = "ypostasis_session";

export const sessionCookie = (token: string): string => `${NAME}=${token}; Path=/; HttpOnly; SameSite=Strict; Max-Age=${7 * 86_400}`;
export const endedCookie = (): string => `${NAME}=; Path=/; HttpOnly; SameSite=Strict; Max-Age=0`;

export function readSessionToken(header: string): string | undefined {
  const found = header.split(/;\s*/).find((part) => part.startsWith(`${NAME}=`));
  return found?.slice(NAME.length + 1) || undefined;
}
