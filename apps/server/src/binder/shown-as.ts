import { descriptionAnnotation } from '@moorage/core/claims/manifest';

type Texts = Readonly<Record<string, string>> | null | undefined;
const mostCharacters = 200;

/** The team of a claim: the label "team", or one of somebody's own that ends so; its namespace's where it has none. */
const teamOf = (labels: Texts): string | undefined =>
  Object.entries(labels ?? {}).find(([key]) => key === 'team' || key.endsWith('/team'))?.[1];

/** The claim's own words for what it holds. */
const descriptionOf = (annotations: Texts): string | undefined =>
  annotations?.[descriptionAnnotation] ?? annotations?.['kubernetes.io/description'];

/** Whose a volume is, as a storage engineer reads it on the backend: the claim, its team, what it says of itself. One line. */
export function shownAs(
  claim: { readonly namespace: string; readonly name: string; readonly labels?: Texts; readonly annotations?: Texts },
  namespaceLabels: Texts,
): string {
  const team = teamOf(claim.labels) ?? teamOf(namespaceLabels);
  const description = descriptionOf(claim.annotations);
  const whole = `${claim.namespace}/${claim.name}${team ? `, team ${team}` : ''}${description ? `: ${description}` : ''}`;
  // eslint-disable-next-line no-control-regex -- what ends lines, or is no character at all, has no place in a name
  const line = [...whole.replace(/[\u0000-\u001f\u007f]+/g, ' ').trim()];
  return line.length > mostCharacters ? `${line.slice(0, mostCharacters - 1).join('')}…` : line.join('');
}
