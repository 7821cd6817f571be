import { type AnswerOf, type RequestOf, addressOf } from "@hindglance/contract/route";
import { uploadRoutes } from "@hindglance/contract/upload";
import { ApiError, answerIn, errorOf } from "./client";

type Answer = AnswerOf<typeof uploadRoutes.send>;

const broken = (name: string) =>
  new ApiError(
    0,
    "offline",
    `${name} could not be sent: the connection broke`,
    "file",
    "Try again.",
  );

/**
 * Sends a file and tells how far it is, 0 to 1; fetch cannot do that.
 * @throws ApiError with what the server answered, or that the connection broke
 * @throws DOMException "AbortError" where it was cancelled
 */
export function sendFile(
  studyId: string,
  query: RequestOf<typeof uploadRoutes.send>["query"],
  file: File,
  onProgress: (share: number) => void,
  signal: AbortSignal,
): Promise<Answer> {
  const address = addressOf(uploadRoutes.send, { params: { id: studyId }, query });
  return new Promise((resolve, reject) => {
    const sending = new XMLHttpRequest();
    sending.open("POST", `/api${address}`);
    sending.setRequestHeader("content-type", "application/octet-stream");
    sending.responseType = "text";
    sending.upload.onprogress = ({ lengthComputable, loaded, total }) => {
      if (lengthComputable) {
        onProgress(loaded / total);
      }
    };
    sending.onload = () => {
      if (sending.status < 300) {
        resolve(answerIn<Answer>(sending.responseText));
      } else {
        reject(errorOf(sending.status, sending.responseText));
      }
    };
    sending.onerror = () => reject(broken(file.name));
    sending.onabort = () => reject(new DOMException("Cancelled", "AbortError"));
    signal.addEventListener("abort", () => sending.abort(), { once: true });
    sending.send(file);
  });
}
