import { useEffect, useState } from 'react';

/** A text that is typed, and given on once typing pauses. */
export function useSettled(
  value: string,
  settle: (value: string) => void,
  afterMs = 200,
): [string, (text: string) => void] {
  const [text, setText] = useState(value);
  useEffect(() => setText(value), [value]);
  useEffect(() => {
    if (text === value) return;
    const timer = setTimeout(() => settle(text), afterMs);
    return () => clearTimeout(timer);
  }, [text, value, settle, afterMs]);
  return [text, setText];
}
