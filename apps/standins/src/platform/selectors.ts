import type { KubeObject } from './store';

function member(object: KubeObject, path: string): string {
  let value: unknown = object;
  for (const part of path.split('.')) value = (value as Record<string, unknown> | undefined)?.[part];
  return value === undefined || value === null ? '' : String(value);
}

function matchesLabels(labels: Record<string, string>, selector: string): boolean {
  // commas inside `in (a,b)` do not separate requirements
  return selector.split(/,(?![^(]*\))/).every((raw) => {
    const term = raw.trim();
    const set = /^(\S+)\s+(in|notin)\s+\(([^)]*)\)$/.exec(term);
    if (set) {
      const within = set[3]!.split(',').map((v) => v.trim());
      const value = labels[set[1]!];
      return set[2] === 'in'
        ? value !== undefined && within.includes(value)
        : value === undefined || !within.includes(value);
    }
    const equal = /^([^!=\s]+)\s*(==|=|!=)\s*(\S*)$/.exec(term);
    if (equal) return equal[2] === '!=' ? labels[equal[1]!] !== equal[3] : labels[equal[1]!] === equal[3];
    return term.startsWith('!') ? !(term.slice(1) in labels) : term in labels;
  });
}

export function matchesSelectors(object: KubeObject, labels?: string, fields?: string): boolean {
  if (labels && !matchesLabels(object.metadata.labels ?? {}, labels)) return false;
  return (fields ?? '')
    .split(',')
    .filter(Boolean)
    .every((term) => {
      const match = /^([^!=]+)(==|=|!=)(.*)$/.exec(term);
      if (!match) return false;
      const equal = member(object, match[1]!) === match[3];
      return match[2] === '!=' ? !equal : equal;
    });
}
