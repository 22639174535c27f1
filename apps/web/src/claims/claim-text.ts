import { newClaimSchema, type NewClaim } from '@moorage/contract/claims';
import { readTuned } from '@moorage/core/classes/manifest';
import { claimManifest, descriptionAnnotation, ofReplicas } from '@moorage/core/claims/manifest';
import { readManifestText } from '@moorage/manifests/text';
import { stringify } from 'yaml';

/** A claim as the form has it; with replicas, one for each of a set. */
export type ClaimDraft = NewClaim & { readonly replicas?: number };

const plain = ({ replicas: _replicas, ...claim }: ClaimDraft): NewClaim => claim;

/** The claims of a draft: one, or one for each replica, named as the platform names those of a template. */
export const claimsOf = (draft: ClaimDraft): NewClaim[] =>
  draft.replicas
    ? ofReplicas(plain(draft), draft.replicas).map((c) => ({ ...plain(draft), name: c.name }))
    : [plain(draft)];

/** The draft as a text of one or several documents. */
export const claimText = (draft: ClaimDraft): string =>
  claimsOf(draft)
    .map((claim) => stringify(claimManifest(claim)))
    .join('---\n');

/** The first claim of a text, as far as the form can say it; undefined when there is none that reads. */
export function readClaimText(text: string): ClaimDraft | undefined {
  const object = readManifestText(text).find((o) => o.what === 'claim' && o.problems.length === 0);
  if (!object) return undefined;
  const { metadata, spec } = object.value as {
    metadata: { name: string; namespace: string; annotations?: Record<string, string> };
    spec: {
      storageClassName?: string;
      accessModes: string[];
      volumeMode?: string;
      resources: { requests: { storage: unknown } };
    };
  };
  const read = newClaimSchema.safeParse({
    namespace: metadata.namespace,
    name: metadata.name,
    className: spec.storageClassName,
    size: String(spec.resources.requests.storage),
    modes: spec.accessModes,
    volumeMode: spec.volumeMode ?? 'Filesystem',
    tuned: readTuned(metadata.annotations),
    description: metadata.annotations?.[descriptionAnnotation],
  });
  return read.success ? read.data : undefined;
}
