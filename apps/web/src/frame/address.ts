import { useCallback, useEffect, useRef, useState } from 'react';
import { useLocation, useNavigate, useSearchParams } from 'react-router';

/** Changes values of the address's query; an empty value goes. Several changes in a row all count, since each starts from the address as it is. */
export function useAddress(): (change: Readonly<Record<string, string | null>>) => void {
  const [, setSearch] = useSearchParams();
  return useCallback(
    (change) => {
      const next = new URLSearchParams(window.location.search);
      for (const [key, value] of Object.entries(change)) {
        if (value) next.set(key, value);
        else next.delete(key);
      }
      setSearch(next, { replace: true });
    },
    [setSearch],
  );
}

/** The claim whose Line is shown: it lives in the address and survives moving between places. */
export function useSelected(): [string | null, (claim: string | null) => void] {
  const [search] = useSearchParams();
  const change = useAddress();
  const select = useCallback((claim: string | null) => change({ line: claim }), [change]);
  return [search.get('line'), select];
}

/** One value of the address's query, for filters and choices that should be shareable. */
export function useInAddress(key: string, otherwise = ''): [string, (value: string) => void] {
  const [search] = useSearchParams();
  const change = useAddress();
  const set = useCallback(
    (value: string) => change({ [key]: value === otherwise ? null : value }),
    [change, key, otherwise],
  );
  return [search.get(key) ?? otherwise, set];
}

/**
 * The same for a text that is typed: it is held here, since the address follows a little later than keys come, and taken from
 * the address when that changes by itself.
 */
export function useTypedInAddress(key: string, otherwise = ''): [string, (value: string) => void] {
  const [value, set] = useInAddress(key, otherwise);
  const [text, setText] = useState(value);
  // what was sent and may still come back, late
  const sent = useRef(new Set([value]));
  useEffect(() => {
    if (sent.current.has(value)) return;
    sent.current = new Set([value]);
    setText(value);
  }, [value]);
  const type = useCallback(
    (next: string) => {
      sent.current.add(next);
      setText(next);
      set(next);
    },
    [set],
  );
  return [text, type];
}

/** An address of another place that keeps the Line, and the moment that is looked at. */
export function useKeepLine(): (path: string) => string {
  const { search } = useLocation();
  const given = new URLSearchParams(search);
  const kept = new URLSearchParams();
  for (const key of ['line', 'at']) if (given.get(key)) kept.set(key, given.get(key)!);
  const text = kept.toString();
  return useCallback((path: string) => (text ? `${path}${path.includes('?') ? '&' : '?'}${text}` : path), [text]);
}

export function useGo(): (path: string) => void {
  const navigate = useNavigate();
  const keep = useKeepLine();
  return useCallback((path: string) => void navigate(keep(path)), [navigate, keep]);
}
