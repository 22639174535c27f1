import { createCipheriv, createDecipheriv, randomBytes } from 'node:crypto';

const ivLength = 12;
const tagLength = 16;

/** Encrypts credentials at rest with AES-256-GCM: 12 bytes of nonce, 16 of tag, then the text. */
export class Vault {
  constructor(private readonly key: Buffer) {}

  seal(text: string): Buffer {
    const iv = randomBytes(ivLength);
    const cipher = createCipheriv('aes-256-gcm', this.key, iv);
    const body = Buffer.concat([cipher.update(text, 'utf8'), cipher.final()]);
    return Buffer.concat([iv, cipher.getAuthTag(), body]);
  }

  /** Throws when the key is another one or the bytes were changed. */
  open(sealed: Buffer): string {
    const decipher = createDecipheriv('aes-256-gcm', this.key, sealed.subarray(0, ivLength));
    decipher.setAuthTag(sealed.subarray(ivLength, ivLength + tagLength));
    return Buffer.concat([decipher.update(sealed.subarray(ivLength + tagLength)), decipher.final()]).toString('utf8');
  }
}
