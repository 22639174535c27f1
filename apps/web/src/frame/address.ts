import { useCallback } from 'react';
import { useLocation, useNavigate, useSearchParams } from 'react-router';

/** The claim whose Line is shown: it lives in the address and survives moving between places. */
export function useSelected(): [string | null, (claim: string | null) => void] {
  const [search, setSearch] = useSearchParams();
  const select = useCallback(
    (claim: string | null) =>
      setSearch(
        (before) => {
          const next = new URLSearchParams(before);
          if (claim) next.set('line', claim);
          else next.delete('line');
          return next;
        },
        { replace: true },
      ),
    [setSearch],
  );
  return [search.get('line'), select];
}

/** One value of the address's query, for filters and choices that should be shareable. */
export function useInAddress(key: string, otherwise = ''): [string, (value: string) => void] {
  const [search, setSearch] = useSearchParams();
  const set = useCallback(
    (value: string) =>
      setSearch(
        (before) => {
          const next = new URLSearchParams(before);
          if (value && value !== otherwise) next.set(key, value);
          else next.delete(key);
          return next;
        },
        { replace: true },
      ),
    [key, otherwise, setSearch],
  );
  return [search.get(key) ?? otherwise, set];
}

/** An address of another place that keeps the Line. */
export function useKeepLine(): (path: string) => string {
  const { search } = useLocation();
  const line = new URLSearchParams(search).get('line');
  return useCallback(
    (path: string) => (line ? `${path}${path.includes('?') ? '&' : '?'}line=${encodeURIComponent(line)}` : path),
    [line],
  );
}

export function useGo(): (path: string) => void {
  const navigate = useNavigate();
  const keep = useKeepLine();
  return useCallback((path: string) => void navigate(keep(path)), [navigate, keep]);
}
