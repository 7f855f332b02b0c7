import { X } from "lucide-react";
import { Link } from "react-router";

/** The name of what is selected, and the way to close it. */
export function InspectorHead({ name, closeTo, figures = false }: { name: string; closeTo: string; figures?: boolean }) {
  return (
    <div className="flex items-start justify-between">
      <h2 className={`text-lg ${figures ? "figures" : ""}`}>{name}</h2>
      <Link to={closeTo || "."} preventScrollReset aria-label={`Close ${name}`} className="p-1 text-soft hover:text-ink">
        <X size={16} aria-hidden="true" />
      </Link>
    </div>
  );
}
