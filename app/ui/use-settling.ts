import { useEffect, useRef, useState } from "react";
import { useNavigation } from "react-router";

/** How long a change may take until it is told to be on its way. */
const PATIENCE_MS = 200;

/** What a control shows at once when it is changed, until the page has answered the last change. */
export function useSettling(held: string[]): [string[], (next: string[]) => void] {
  const [shown, setShown] = useState(held);
  const settled = useNavigation().state === "idle";
  const key = held.join("\n");
  const asked = useRef<string>(undefined);
  useEffect(() => {
    // An answer to an earlier change must not undo a later one that is still on its way.
    if (!settled) return;
    const accept = (): void => {
      asked.current = undefined;
      setShown(key === "" ? [] : key.split("\n"));
    };
    if (asked.current === undefined || asked.current === key) return accept();
    // Either a change was made just as this answer came, or the page answers otherwise than it was asked.
    const timer = setTimeout(accept, PATIENCE_MS);
    return () => clearTimeout(timer);
  }, [key, settled]);
  const change = (next: string[]): void => {
    asked.current = next.join("\n");
    setShown(next);
  };
  return [shown, change];
}
