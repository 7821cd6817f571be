declare module "@cornerstonejs/codec-openjpeg/wasmjs" {
  export interface Frame {
    width: number;
    height: number;
    bitsPerSample: number;
    componentCount: number;
    isSigned: boolean;
  }
  export interface J2KDecoder {
    getEncodedBuffer(bytes: number): Uint8Array;
    getDecodedBuffer(): Uint8Array;
    readHeader(): void;
    decode(): void;
    getFrameInfo(): Frame;
    delete(): void;
  }
  export interface J2KEncoder {
    getDecodedBuffer(f: Frame & { isUsingColorTransform: boolean }): Uint8Array;
    getEncodedBuffer(): Uint8Array;
    encode(): void;
    setDecompositions(n: number): void;
    setQuality(lossless: boolean, quality: number): void;
    delete(): void;
  }
  export default function openjpeg(options?: {
    print?(s: string): void;
    printErr?(s: string): void;
  }): Promise<{ J2KDecoder: new () => J2KDecoder; J2KEncoder: new () => J2KEncoder }>;
}
