import { useEffect } from "react";
import { isRouteErrorResponse, Links, Meta, Outlet, Scripts, ScrollRestoration, useRevalidator } from "react-router";
import type { Route } from "./+types/root";
import { Mark } from "./frame/mark.tsx";
import { isUnanswered } from "./ui/or-unanswered.ts";
import "./app.css";

export const meta: Route.MetaFunction = () => [{ title: "Ypostasis" }, { name: "viewport", content: "width=device-width, initial-scale=1" }];
export const links: Route.LinksFunction = () => [{ rel: "icon", href: "/mark.svg", type: "image/svg+xml" }];

/** Sets the chosen theme before the first paint. */
const THEME = `try{const t=localStorage.getItem("theme");if(t)document.documentElement.dataset.theme=t}catch{}`;

export function Layout({ children }: { children: React.ReactNode }) {
  return (
    <html lang="en" suppressHydrationWarning>
      <head>
        <meta charSet="utf-8" />
        <Meta />
        <Links />
        <script dangerouslySetInnerHTML={{ __html: THEME }} />
      </head>
      <body>
        {children}
        <ScrollRestoration />
        <Scripts />
      </body>
    </html>
  );
}

export default function Root() {
  return <Outlet />;
}

const TRY_AGAIN_MS = 2_000;

type Away = { sentence: string; again?: boolean };
const isAway = (value: unknown): value is Away => typeof value === "object" && value !== null && "sentence" in value;

const SERVER_AWAY: Away = { sentence: "The server does not answer. Work under way goes on by itself once it is back; this page tries again by itself.", again: true };

export function ErrorBoundary({ error }: Route.ErrorBoundaryProps) {
  const revalidator = useRevalidator();
  const away = isUnanswered(error) ? SERVER_AWAY : isRouteErrorResponse(error) && isAway(error.data) ? error.data : undefined;
  const again = away?.again === true;
  useEffect(() => {
    if (!again) return;
    const timer = setInterval(() => void revalidator.revalidate(), TRY_AGAIN_MS);
    return () => clearInterval(timer);
  }, [again, revalidator]);
  const title = again ? "Waiting" : isRouteErrorResponse(error) && error.status === 404 ? "There is no such page" : "This page could not be made";
  const sentence =
    away?.sentence ??
    (isRouteErrorResponse(error) && error.status === 404
      ? "The address may be mistyped. Readiness is the first page."
      : "Something went wrong that was not foreseen; the server has logged it. Nothing was changed by looking. Try again, or go to Readiness.");
  return (
    <main className="mx-auto max-w-xl p-12">
      <Mark />
      <h1 className="mt-8">{title}</h1>
      <p className="mt-2 text-soft" role="status">
        {sentence}
      </p>
      <p className="mt-6">
        <a className="plain-link" href="/">
          Readiness
        </a>
      </p>
    </main>
  );
}
