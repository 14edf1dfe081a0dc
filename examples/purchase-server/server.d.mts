import type { FastifyInstance } from 'fastify';

export interface PurchaseServerSettings {
  readonly accountFile: string;
  readonly address: string;
  readonly packageName: string;
  readonly push: {
    readonly keys: string;
    readonly issuer: string;
    readonly audience: string;
    readonly sender: string;
  };
}

export declare function purchaseServer(settings: PurchaseServerSettings): FastifyInstance;
