import { Ajv2020, type ValidateFunction } from 'ajv/dist/2020.js';

/** A description of a protocol: an OpenAPI 3.1 document, whose operations have names. */
export interface Description {
  readonly paths: Readonly<Record<string, Readonly<Record<string, unknown>>>>;
  readonly components: { readonly schemas: Readonly<Record<string, object>> };
}

interface Media {
  readonly content?: Readonly<Record<string, { readonly schema?: object }>>;
}

interface Described {
  readonly operationId: string;
  readonly requestBody?: Media;
  readonly responses: Readonly<Record<string, Media>>;
}

/** Holds requests and answers against a description. */
export class Checker {
  readonly #operations: ReadonlyMap<string, Described>;
  readonly #ajv: Ajv2020;
  readonly #root: string;
  readonly #compiled = new Map<string, ValidateFunction>();

  /** @param name of the protocol, unique */
  constructor(name: string, description: Description) {
    this.#root = `urn:drydock:${name}`;
    this.#ajv = new Ajv2020({ strict: false, allErrors: true, validateFormats: false });
    this.#ajv.addSchema({ $id: this.#root, components: description.components });
    this.#operations = new Map(
      Object.values(description.paths).flatMap((path) =>
        Object.values(path).map((one) => [(one as Described).operationId, one as Described] as const),
      ),
    );
  }

  #faults(key: string, schema: object, value: unknown): string | undefined {
    let validate = this.#compiled.get(key);
    if (validate === undefined) {
      const placed = JSON.parse(
        JSON.stringify(schema).replaceAll('"#/components', `"${this.#root}#/components`),
      ) as object;
      validate = this.#ajv.compile(placed);
      this.#compiled.set(key, validate);
    }
    if (validate(value)) return undefined;
    return (validate.errors ?? [])
      .map(({ instancePath, message, params }) => {
        const extra = (params as { additionalProperty?: string }).additionalProperty;
        return `${instancePath || '(top level)'} ${message}${extra === undefined ? '' : `: "${extra}"`}`;
      })
      .join('; ');
  }

  /** Why a request's body is not as described; `undefined` where it is. */
  request(operationId: string, body: unknown): string | undefined {
    const described = this.#operations.get(operationId);
    if (described === undefined) return `there is no operation "${operationId}"`;
    const [media] = Object.values(described.requestBody?.content ?? {});
    return media?.schema && this.#faults(`${operationId} request`, media.schema, body ?? {});
  }

  /** Why an answer is not as described; `undefined` where it is. */
  answer(operationId: string, status: number, body: unknown): string | undefined {
    const described = this.#operations.get(operationId)?.responses[status];
    const schema =
      described === undefined && status >= 400
        ? { $ref: '#/components/schemas/Error' }
        : Object.values(described?.content ?? {})[0]?.schema;
    if (described === undefined && status < 400) return `the description has no answer ${status}`;
    return schema && this.#faults(`${operationId} ${status}`, schema, body);
  }
}
