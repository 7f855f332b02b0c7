import { useEffect, useState } from "react";
import { useNavigation } from "react-router";

/** What a control shows at once when it is changed, until the page has answered the last change. */
export function useSettling(held: string[]): [string[], (next: string[]) => void] {
  const [shown, setShown] = useState(held);
  const settled = useNavigation().state === "idle";
  const key = held.join("\n");
  useEffect(() => {
    // An answer to an earlier change must not undo a later one that is still on its way.
    if (settled) setShown(key === "" ? [] : key.split("\n"));
  }, [key, settled]);
  return [shown, setShown];
}
