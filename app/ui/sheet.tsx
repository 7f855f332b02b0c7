import type { ReactNode } from "react";

/** A table with hairlines. A head that is empty holds acts. */
export function Sheet({ heads, children, className = "" }: { heads: readonly string[]; children: ReactNode; className?: string }) {
  return (
    <div className="overflow-x-auto">
      <table className={`sheet ${className}`}>
        <thead>
          <tr>
            {heads.map((head) => (
              <th key={head} scope="col">
                {head || <span className="sr-only">Acts</span>}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>{children}</tbody>
      </table>
    </div>
  );
}
