/** An error of the object interface: its code and words are the protocol's. */
export class S3Error extends Error {
  constructor(
    readonly status: number,
    readonly code: string,
    message: string,
    readonly resource = '',
  ) {
    super(message);
  }
}
