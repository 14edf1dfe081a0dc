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

/** Whether an error of the server's comes from the request: its form, its type, its length. */
export function isTheirs(error: unknown): error is Error & { readonly statusCode: number } {
  const status = error instanceof Error ? (error as { statusCode?: unknown }).statusCode : undefined;
  return typeof status === 'number' && status >= 400 && status < 500;
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

/** What App Store Connect's API says of an error. */
export interface AppleFault {
  readonly code: string;
  readonly detail: string;
  /** JSON pointer into the request. */
  readonly pointer?: string;
}

/** A refusal in the words of App Store Connect's API. */
export class AppleRefusal extends Refusal {
  readonly pointer: string | undefined;
  /** What it comes from, by the path of the resource that it concerns. */
  readonly causes: Readonly<Record<string, readonly AppleFault[]>>;

  constructor(
    status: number,
    { code, detail, pointer }: AppleFault,
    causes: Readonly<Record<string, readonly AppleFault[]>> = {},
  ) {
    super(status, code, detail);
    this.name = 'AppleRefusal';
    this.pointer = pointer;
    this.causes = causes;
  }
}

const TITLES: Readonly<Record<number, string>> = {
  400: 'A parameter has an invalid value.',
  401: 'Authentication credentials are missing or invalid.',
  403: 'This request is forbidden for security reasons.',
  404: 'The specified resource does not exist.',
  409: 'The request entity is not valid in the current state.',
  429: 'The request rate limit has been reached.',
};

/** An error object (JSON:API 1.0). */
const appleError = (status: number, { code, detail, pointer }: AppleFault) => ({
  status: String(status),
  code,
  title: TITLES[status] ?? 'An unexpected error occurred.',
  detail,
  ...(pointer === undefined ? {} : { source: { pointer } }),
});

/** The body of an error of App Store Connect's API. */
export function appleErrorBody(refusal: Refusal) {
  const { status, reason, message } = refusal;
  const own = refusal instanceof AppleRefusal ? refusal : undefined;
  const fault = {
    code: reason,
    detail: message,
    ...(own?.pointer === undefined ? {} : { pointer: own.pointer }),
  };
  const causes = Object.entries(own?.causes ?? {});
  return {
    errors: [
      {
        ...appleError(status, fault),
        ...(causes.length === 0
          ? {}
          : {
              meta: {
                associatedErrors: Object.fromEntries(
                  causes.map(([path, faults]) => [path, faults.map((one) => appleError(status, one))]),
                ),
              },
            }),
      },
    ],
  };
}
