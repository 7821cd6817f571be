import { type TestServer, bodyIn } from "./harness";

/** What is told when a part of a study was changed. */
export interface StudyEvent {
  id: string;
  part: string;
  version: number;
}
/** What the stream of events tells of studies until enough has come. */
export async function studyEvents(
  testServer: TestServer,
  act: () => Promise<unknown>,
  count: number,
): Promise<StudyEvent[]> {
  const stop = new AbortController();
  const response = await testServer.request(`/api/events`, { signal: stop.signal });
  const reader = response.body!.pipeThrough(new TextDecoderStream()).getReader();
  await reader.read();
  await act();
  const out: StudyEvent[] = [];
  let text = "";
  while (out.length < count) {
    const { value, done } = await reader.read();
    if (done) {
      break;
    }
    text += value;
    for (let end = text.indexOf("\n\n"); end >= 0; end = text.indexOf("\n\n")) {
      const match = /event: study\ndata: (.*)/.exec(text.slice(0, end));
      if (match) {
        out.push(bodyIn<StudyEvent>(match[1]!));
      }
      text = text.slice(end + 2);
    }
  }
  stop.abort();
  return out;
}
