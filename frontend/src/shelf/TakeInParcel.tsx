import { useMutation } from "@tanstack/react-query";
import { type FormEvent, useState } from "react";

import { address, bytes } from "../api/bytes";
import { type Job } from "../api/client";
import { Trouble } from "../words/Trouble";

/** A docket that comes from another house as one ZIP: taken in under its own shelfmark, or another one. */
export function TakeInParcel({ onClose }: { onClose: () => void }) {
  const [file, setFile] = useState<File | null>(null);
  const [shelfmark, setShelfmark] = useState("");
  const take = useMutation({
    mutationFn: async (parcel: File) => {
      const url = address("/api/v1/parcels", { shelfmark });
      return (await (await bytes(url, { method: "POST", body: parcel })).json()) as Job;
    },
  });
  const submit = (event: FormEvent) => {
    event.preventDefault();
    if (file) take.mutate(file);
  };
  return (
    <form
      aria-label="Take in a docket"
      onSubmit={submit}
      className="rule-b flex flex-wrap items-center gap-3 bg-base-200 px-5 py-3"
    >
      <label className="flex items-center gap-2">
        The ZIP of a docket
        <input
          type="file"
          accept=".zip,application/zip"
          aria-label="The ZIP of a docket"
          onChange={(event) => {
            setFile(event.target.files?.[0] ?? null);
            take.reset();
          }}
        />
      </label>
      <label className="flex items-center gap-2">
        under
        <input
          aria-label="Under another shelfmark"
          className="field w-44"
          placeholder="its own shelfmark"
          value={shelfmark}
          maxLength={100}
          onChange={(event) => setShelfmark(event.target.value)}
        />
      </label>
      <button type="submit" className="press press-main" disabled={!file || take.isPending}>
        Take it in
      </button>
      {take.isSuccess && (
        <span role="status">
          {take.data.subject} comes in; it is on the shelf once every file was held against its digest.
        </span>
      )}
      <button type="button" className="press ml-auto" onClick={onClose}>
        Close
      </button>
      {take.error && (
        <div className="basis-full">
          <Trouble error={take.error} />
        </div>
      )}
    </form>
  );
}
