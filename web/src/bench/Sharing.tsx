import { Popover, PopoverButton, PopoverPanel } from "@headlessui/react";
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { type FormEvent, useState } from "react";
import { ApiError, get, post, remove, type Shape, type Study } from "../api/client";
import { useSession } from "../api/queries";
import { go } from "../parts/route";

type Share = Shape<"ShareShape">;

/** With whom a study is shared; its owner changes that, others may leave. */
export function Sharing({ study }: { study: Study }) {
  const own = study.role === "own";
  return (
    <Popover className="relative">
      <PopoverButton className="quiet whitespace-nowrap" title={own ? "share this study" : ""}>
        {own ? "share" : `${study.owner}’s${study.role === "look" ? ", to look at" : ""}`}
      </PopoverButton>
      <PopoverPanel className="absolute right-0 z-40 mt-1 w-80 border border-ink bg-sheet p-3">
        <Panel study={study} own={own} />
      </PopoverPanel>
    </Popover>
  );
}

function Panel({ study, own }: { study: Study; own: boolean }) {
  const client = useQueryClient();
  const session = useSession().data;
  const [trouble, setTrouble] = useState<string | null>(null);
  const key = ["shares", study.id];
  const path = `studies/${study.id}/shares`;
  const told = useQuery({ queryKey: key, queryFn: () => get<Share[]>(path) }).data ?? [];

  const attempt = async (act: () => Promise<Share[]>) => {
    setTrouble(null);
    try {
      client.setQueryData(key, await act());
      return true;
    } catch (error) {
      setTrouble(error instanceof ApiError ? error.message : String(error));
      return false;
    }
  };
  const submit = async (event: FormEvent<HTMLFormElement>) => {
    event.preventDefault();
    const at = event.currentTarget;
    const form = new FormData(at);
    const works = form.get("works") === "work";
    if (await attempt(() => post(path, { name: form.get("name"), works }))) at.reset();
  };
  const leave = async (share: Share) => {
    if (!(await attempt(() => remove(`${path}/${share.id}`)))) return;
    client.invalidateQueries({ queryKey: ["studies"] });
    go({ study: null, variant: null, stage: "" });
  };

  return (
    <>
      <h2 className="caps">who sees this study</h2>
      <ul className="mt-1">
        <li className="border-b border-line py-1">
          {study.owner} <span className="text-soft">owns it</span>
        </li>
        {told.map((share) => (
          <li key={share.id} className="flex items-center gap-2 border-b border-line py-1">
            <span className="flex-1">
              {share.name}{" "}
              <span className="text-soft">{share.works ? "works on it" : "looks at it"}</span>
            </span>
            {own && (
              <>
                <button
                  type="button"
                  className="quiet"
                  onClick={() =>
                    attempt(() => post(path, { name: share.name, works: !share.works }))
                  }
                >
                  {share.works ? "Only look" : "Let work"}
                </button>
                <button
                  type="button"
                  className="quiet"
                  onClick={() => attempt(() => remove(`${path}/${share.id}`))}
                >
                  Take back
                </button>
              </>
            )}
            {share.name === session?.username && (
              <button type="button" className="quiet" onClick={() => leave(share)}>
                Leave
              </button>
            )}
          </li>
        ))}
      </ul>
      {own ? (
        <form className="mt-2 flex items-center gap-2" onSubmit={submit}>
          <input
            name="name"
            aria-label="Name of the account"
            placeholder="name of the account"
            required
            className="blank min-w-0 flex-1"
          />
          <select name="works" aria-label="What they may do" className="blank">
            <option value="look">to look</option>
            <option value="work">to work</option>
          </select>
          <button type="submit" className="quiet">
            Share
          </button>
        </form>
      ) : (
        study.role === "look" && (
          <p className="mt-2 text-soft">
            You may look at it and take its files. To change anything, duplicate it on the shelf.
          </p>
        )
      )}
      {trouble && (
        <p role="alert" className="mt-2 text-madder">
          ✕ {trouble}
        </p>
      )}
    </>
  );
}
