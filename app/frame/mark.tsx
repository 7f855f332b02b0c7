import { Link } from "react-router";

/** Our mark: what stands, and what it stands on. */
export function Mark() {
  return (
    <Link to="/" className="flex items-center gap-2 text-ink no-underline" aria-label="Ypostasis, to Readiness">
      <svg viewBox="0 0 24 24" width="26" height="26" aria-hidden="true">
        <path d="M12 3.5 20.5 17H3.5Z" fill="none" stroke="currentColor" strokeWidth="1.7" strokeLinejoin="round" />
        <path d="M1.5 21h21" stroke="var(--accent)" strokeWidth="2.6" />
      </svg>
      <span className="text-[1.0625rem] font-bold tracking-tight">Ypostasis</span>
    </Link>
  );
}
