/** An error in the standard's form: a message of the Base registry with its extended information. */
export class RedfishError extends Error {
  constructor(
    readonly status: number,
    readonly messageId: string,
    message: string,
  ) {
    super(message);
  }
}

export const errorBody = (messageId: string, message: string) => ({
  error: {
    code: `Base.1.18.${messageId}`,
    message,
    '@Message.ExtendedInfo': [
      { MessageId: `Base.1.18.${messageId}`, Message: message, Severity: 'Critical', Resolution: 'See the message.' },
    ],
  },
});

export const missing = (property: string) =>
  new RedfishError(
    400,
    'PropertyMissing',
    `The property ${property} is a required property and must be included in the request.`,
  );

export const notFound = (type: string, id: string) =>
  new RedfishError(404, 'ResourceNotFound', `The requested resource of type ${type} named '${id}' was not found.`);
