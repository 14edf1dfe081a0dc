/** What is used of node-forge's parts, which its own types name only as a whole. */
declare module 'node-forge/lib/forge.js' {
  interface ByteBuffer {
    getBytes(): string;
  }
  const forge: {
    readonly util: { createBuffer(bytes: string): ByteBuffer };
    readonly rc2: {
      createDecryptionCipher(
        key: string,
        bits: number,
      ): {
        start(iv: string): void;
        update(input: ByteBuffer): void;
        finish(): boolean;
        readonly output: ByteBuffer;
      };
    };
  };
  export = forge;
}
declare module 'node-forge/lib/rc2.js';
