import { useMutation } from "@tanstack/react-query";

import { answer, api, type RecordingView } from "../api/client";
import { Trouble, TroubleText } from "../words/Trouble";
import { moment } from "../words/figures";

/** Recordings that are over and not takes yet. */
export function LeftRecordings({ recordings }: { recordings: RecordingView[] }) {
  return (
    <>
      {recordings.map((one) => (
        <Line key={one.id} recording={one} />
      ))}
    </>
  );
}

function Line({ recording }: { recording: RecordingView }) {
  const keep = useMutation({
    mutationFn: () =>
      answer(api.POST("/api/v1/recordings/{recording_id}/keep", { params: { path: { recording_id: recording.id } } })),
  });
  const words = {
    recording: "is going on in another window",
    keeping: "is being read back and drawn",
    "waiting for its browser": "broke off when the server stopped; the browser that sent it may go on",
    refused: "could not be made a take; nothing of it is lost",
  };
  return (
    <div className="rule-b flex flex-wrap items-center gap-4 bg-base-200 px-5 py-2">
      <span className="font-medium">{recording.name}</span>
      <span className={recording.state === "refused" ? "text-error" : "quiet"}>{words[recording.state]}</span>
      <span className="quiet">begun {moment(recording.began_at)}</span>
      {(recording.state === "refused" || recording.state === "waiting for its browser") && (
        <button
          type="button"
          className="press press-main ml-auto"
          onClick={() => keep.mutate()}
          disabled={keep.isPending}
        >
          {recording.state === "refused" ? "Try again" : "Make it a take as it is"}
        </button>
      )}
      {recording.refusal && (
        <div className="w-full">
          <TroubleText {...recording.refusal} where={null} />
        </div>
      )}
      {keep.error && (
        <div className="w-full">
          <Trouble error={keep.error} />
        </div>
      )}
    </div>
  );
}
