export type NameProblem = 'empty' | 'too-long' | 'bad-characters' | 'bad-start' | 'bad-end';

const limits = { label: 63, subdomain: 253 } as const;

/** Why a text is not a name the platform takes (RFC 1123 label or subdomain), or undefined when it is one. */
export function nameProblem(name: string, kind: keyof typeof limits = 'subdomain'): NameProblem | undefined {
  if (name === '') return 'empty';
  if (name.length > limits[kind]) return 'too-long';
  if (!(kind === 'label' ? /^[a-z0-9-]+$/ : /^[a-z0-9.-]+$/).test(name)) return 'bad-characters';
  if (!/^[a-z0-9]/.test(name)) return 'bad-start';
  if (!/[a-z0-9]$/.test(name)) return 'bad-end';
  return kind === 'subdomain' && name.split('.').some((part) => nameProblem(part, 'label'))
    ? 'bad-characters'
    : undefined;
}
