import { readManifestText, type ReadObject } from '@moorage/contract/manifest-text';

/** What a worker thread does: what others wrote is never read on the thread that answers everybody. */
export default (text: string): ReadObject[] => readManifestText(text);
