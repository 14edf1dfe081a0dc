/** A refusal in the protocol's own words. */
export class Refusal extends Error {
  readonly status: number;
  readonly reason: string;
  /** Seconds after which to try again. */
  readonly retryAfter: number | undefined;

  constructor(status: number, reason: string, message: string, retryAfter?: number) {
    super(message);
    this.name = 'Refusal';
    this.status = status;
    this.reason = reason;
    this.retryAfter = retryAfter;
  }
}

const STATUS: Readonly<Record<number, string>> = {
  400: 'INVALID_ARGUMENT',
  401: 'UNAUTHENTICATED',
  403: 'PERMISSION_DENIED',
  404: 'NOT_FOUND',
  409: 'ABORTED',
  429: 'RESOURCE_EXHAUSTED',
  500: 'INTERNAL',
  503: 'UNAVAILABLE',
};

/** The body of an error of the publishing API. */
export const errorBody = ({ status, reason, message }: Pick<Refusal, 'status' | 'reason' | 'message'>) => ({
  error: {
    code: status,
    message,
    status: STATUS[status] ?? 'UNKNOWN',
    errors: [{ message, domain: 'androidpublisher', reason }],
  },
});
