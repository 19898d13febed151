import { page } from '$app/state';
import type { DetailedError, Upload } from 'tus-js-client';
import { problem, problemSchema, type Problem } from '$lib/core/problems';
import {
  keptFileSchema,
  kindOfFile,
  misfitOf,
  shownPictures,
  type FilesType,
  type KeptFile,
} from '$lib/core/values/files';
import { z } from 'zod';

/** Where files are sent and fetched: a guest's by their link. */
function filesAddress(): string {
  const { token } = page.params;
  return page.route.id?.startsWith('/guest/') ? `/api/guest/${token}/files` : '/api/files';
}

/** The address of a file under its name. */
export function fileAddress({ file, name }: Pick<KeptFile, 'file' | 'name'>): string {
  return `${filesAddress()}/${file}?name=${encodeURIComponent(name)}`;
}

/** The address of what a file is shown by; `null` where it is no picture that a browser shows. */
export function pictureAddress(file: KeptFile): string | null {
  if (file.small !== null) return `${filesAddress()}/${file.small}`;
  return shownPictures.has(file.type) && file.size <= shownWhole ? fileAddress(file) : null;
}

/** A picture of so many bytes is shown itself where it has no small one. */
const shownWhole = 500_000;

/** What already can be said against a file before it is sent; the content is looked at by the server. */
export function refusalOf(type: FilesType, label: string, file: File): Problem | null {
  if (file.size === 0) return problem('file_none');
  // A browser that does not know what it is leaves its kind to the server.
  const known = kindOfFile(file.type) !== null;
  return misfitOf(known ? type : { ...type, kinds: [] }, label, file);
}

/** A file on its way. */
export interface Sending {
  /** How it ended: the file as values name it, or what was wrong; `null` where it was called off. */
  done: Promise<KeptFile | Problem | null>;
  stop: () => void;
}

/**
 * Sends a file, in such a way that it goes on where it was cut off; `progress` is told the part that has
 * come, from 0 to 1. A picture gets a small one beside it.
 */
export function sendFile(file: File, progress: (part: number) => void): Sending {
  let upload: Upload | null = null;
  let stopped = false;
  const send = async (): Promise<KeptFile | Problem | null> => {
    const sent = await sendBytes(file, file.name, progress, (begun) => {
      upload = begun;
      return !stopped;
    });
    if (sent === null || 'code' in sent) return sent;
    if (!shownPictures.has(sent.type)) return sent;
    const bytes = await smallPicture(file);
    if (!bytes || stopped) return sent;
    const small = await sendBytes(
      bytes,
      sent.name,
      () => {},
      () => !stopped,
    );
    return small !== null && 'file' in small ? { ...sent, small: small.file } : sent;
  };
  return {
    done: send(),
    stop: () => {
      stopped = true;
      void upload?.abort(true).catch(() => undefined);
    },
  };
}

async function sendBytes(
  bytes: Blob,
  name: string,
  progress: (part: number) => void,
  /** Told what was begun; says whether it is wanted still. */
  begun: (upload: Upload) => boolean,
): Promise<KeptFile | Problem | null> {
  const tus = await import('tus-js-client');
  return new Promise((done) => {
    const upload = new tus.Upload(bytes, {
      endpoint: filesAddress(),
      metadata: { name },
      retryDelays: [0, 500, 1500, 3000, 6000, 12_000],
      uploadDataDuringCreation: bytes.size < atOnce,
      removeFingerprintOnSuccess: true,
      onProgress: (sent, all) => progress(all > 0 ? sent / all : 1),
      onSuccess: ({ lastResponse }) => done(read(lastResponse.getBody())),
      onError: (error) => done(problemOf(error)),
    });
    if (!begun(upload)) return done(null);
    const start = async () => {
      const [before] = await upload.findPreviousUploads();
      if (before) upload.resumeFromPreviousUpload(before);
      if (begun(upload)) upload.start();
      else done(null);
    };
    void start();
  });
}

/** What is smaller than this is sent with the first request. Bytes. */
const atOnce = 256 * 1024;

function read(body: string): KeptFile | Problem {
  try {
    return keptFileSchema.parse(JSON.parse(body));
  } catch {
    return problem('file_not_here');
  }
}

function problemOf(error: Error | DetailedError): Problem {
  const body = 'originalResponse' in error ? (error.originalResponse?.getBody() ?? '') : '';
  try {
    const said = z.object({ problems: z.array(problemSchema).min(1) }).parse(JSON.parse(body));
    return said.problems[0] ?? problem('unreachable');
  } catch {
    return problem('unreachable');
  }
}

/** The longer side of a small picture, in points. */
const smallSide = 320;

/** A small picture of one; `null` where the browser cannot read it. */
async function smallPicture(file: File): Promise<Blob | null> {
  try {
    const whole = await createImageBitmap(file);
    const part = Math.min(1, smallSide / Math.max(whole.width, whole.height));
    if (part === 1) return null;
    const [width, height] = [whole.width, whole.height].map((side) =>
      Math.max(1, Math.round(side * part)),
    ) as [number, number];
    const canvas = new OffscreenCanvas(width, height);
    canvas.getContext('2d')?.drawImage(whole, 0, 0, width, height);
    whole.close();
    return await canvas.convertToBlob({ type: 'image/webp', quality: 0.8 });
  } catch {
    return null;
  }
}
