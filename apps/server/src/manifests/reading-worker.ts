import { readManifestText } from '@moorage/manifests/text';
import { worker } from 'workerpool';

/** What a thread of its own does: what others wrote is never read on the one that answers everybody. */
worker({ read: readManifestText });
