/** The server's state in the query cache, and the stream that keeps it fresh. */
import {
  type QueryClient,
  useIsMutating,
  useMutation,
  useQuery,
  useQueryClient,
} from "@tanstack/react-query";
import { useEffect } from "react";
import { type Change, saveBeside, tellClash, versionOf } from "./beside";
import {
  binary,
  get,
  type Job,
  type Lists,
  type OperationDescription,
  patch,
  post,
  type Shape,
  type StageDescription,
  type Study,
} from "./client";
import type { Variant } from "./reports";

export type Session = Shape<"SessionShape">;

export const useSession = () =>
  useQuery({ queryKey: ["session"], queryFn: () => get<Session>("session") });

/** The stages of a study that begins with a part, or with a finished mesh. */
export const useStages = (kind: "part" | "mesh" | undefined) =>
  useQuery({
    queryKey: ["stages", kind],
    queryFn: () => get<StageDescription[]>(kind === "mesh" ? "stages?kind=mesh" : "stages"),
    enabled: kind !== undefined,
    staleTime: Number.POSITIVE_INFINITY,
  });

/** What the core lists once: metrics, kinds, formats and the like. */
export const useLists = () =>
  useQuery({
    queryKey: ["lists"],
    queryFn: () => get<Lists>("lists"),
    staleTime: Number.POSITIVE_INFINITY,
  });

export const useOperations = () =>
  useQuery({
    queryKey: ["operations"],
    queryFn: () => get<OperationDescription[]>("operations"),
    staleTime: Number.POSITIVE_INFINITY,
  });

export const useStudies = (deleted = false) =>
  useQuery({
    queryKey: deleted ? ["studies", "deleted"] : ["studies"],
    queryFn: () => get<Study[]>(deleted ? "studies?deleted=true" : "studies"),
  });

/** What one keeps, and may keep. */
export const useRoom = () =>
  useQuery({ queryKey: ["studies", "room"], queryFn: () => get<Shape<"RoomShape">>("room") });

export const useStudy = (id: number) =>
  useQuery({ queryKey: ["studies", id], queryFn: () => get<Study>(`studies/${id}`) });

export function useVariant(id: number | undefined) {
  const client = useQueryClient();
  return useQuery({
    queryKey: ["variant", id],
    queryFn: async () => {
      let saved: number;
      let told: Variant;
      do {
        saved = savedOf(client, id);
        told = await get<Variant>(`variants/${id}`);
        // read before a change was saved, and told after that: it is of a state that is gone
      } while (savedOf(client, id) !== saved);
      // changes that wait are on the page already, and not yet known to the server
      const waits = client.isMutating({ mutationKey: ["settings", id] }) > 0;
      const held = client.getQueryData<Variant>(["variant", id]);
      return waits && held ? withSettings(told, held) : told;
    },
    enabled: id !== undefined,
  });
}

/** How many changes of a variant have been saved since the page was opened. */
const savedOf = (client: QueryClient, id: number | undefined) =>
  client.getQueryData<number>(["saved", id]) ?? 0;

const countSaved = (client: QueryClient, id: number) =>
  client.setQueryData<number>(["saved", id], (old = 0) => old + 1);

/** What is told of a variant, with the settings that are held. */
function withSettings(told: Variant, held: Variant): Variant {
  const own = new Map(held.stages.map((s) => [s.stage, s.settings]));
  const stages = told.stages.map((s) => ({ ...s, settings: own.get(s.stage) ?? s.settings }));
  // what waits was made from the version that is held
  return { ...told, version: held.version, stages };
}

export function useJobs() {
  const client = useQueryClient();
  return useQuery({
    queryKey: ["jobs"],
    queryFn: async () => {
      const told = await get<Job[]>("jobs");
      // an event may have come while the answer was on its way, and tell of a later state
      return latest(client.getQueryData<Job[]>(["jobs"]), told);
    },
  });
}

/** The jobs told, each as it was held where that is the later state. */
function latest(held: Job[] | undefined, told: Job[]): Job[] {
  const known = new Map((held ?? []).map((job) => [job.id, job]));
  return told.map((job) => {
    const other = known.get(job.id);
    return other && other.updated > job.updated ? other : job;
  });
}

/** Arrays of a stage's result; the product's key makes a new result a new entry. */
export const useView = (
  variant: number,
  stage: string | null,
  product: string | null,
  before = false,
) =>
  useQuery({
    queryKey: ["view", variant, stage, product, before],
    queryFn: ({ signal }) =>
      binary(`variants/${variant}/stages/${stage}/view${before ? "?before=true" : ""}`, signal),
    enabled: stage !== null && product !== null,
    staleTime: Number.POSITIVE_INFINITY,
    gcTime: 20_000,
  });

function withChange(variant: Variant, change: Change): Variant {
  const stages = variant.stages.map((s) => {
    const own = change[s.stage];
    if (!own || !s.settings) return s;
    const settings = { ...s.settings };
    for (const [name, value] of Object.entries(own))
      settings[name] = value === null ? s.default?.[name] : value;
    return { ...s, settings };
  });
  return { ...variant, stages };
}

/** The variant that a change was made of, as the page showed it. */
const madeOf = new WeakMap<Change, Variant>();

export function useSettings(variant: number) {
  const client = useQueryClient();
  const mutationKey = ["settings", variant];
  return useMutation({
    mutationKey,
    // one after the other, in the order they were made: a later one may depend on an earlier one
    scope: { id: `settings ${variant}` },
    mutationFn: (change: Change) =>
      saveBeside(
        change,
        versionOf(client, variant),
        madeOf.get(change),
        (own, version) => patch<Variant>(`variants/${variant}/settings`, own, version),
        () => get<Variant>(`variants/${variant}`),
      ),
    // shown at once; taken back if the server refuses it
    onMutate: (change) => {
      // an answer that is on its way does not know of it, and would take it back on the page
      client.cancelQueries({ queryKey: ["variant", variant] });
      const before = client.getQueryData<Variant>(["variant", variant]);
      if (before) {
        madeOf.set(change, before);
        client.setQueryData(["variant", variant], withChange(before, change));
      }
      return { before };
    },
    onError: (error, change, held) => {
      // of a later version, if a change before it has been saved since
      client.setQueryData<Variant>(["variant", variant], (now) =>
        held?.before ? { ...held.before, version: now?.version ?? held.before.version } : now,
      );
      tellClash(client, variant, error, change);
    },
    // an answer does not know of changes that still wait: only the last one is shown
    onSuccess: (data) => {
      countSaved(client, variant);
      const last = client.isMutating({ mutationKey }) <= 1;
      client.setQueryData<Variant>(["variant", variant], (old) =>
        last || !old ? data : { ...old, version: data.version },
      );
    },
  });
}

/** Whether a change of settings is under way: shown at once, but not yet known to the server. */
export function useSettling(variant: number): boolean {
  return useIsMutating({ mutationKey: ["settings", variant] }) > 0;
}

export function useUndo(variant: number, way: "undo" | "redo") {
  const client = useQueryClient();
  return useMutation({
    scope: { id: `settings ${variant}` },
    mutationFn: () =>
      post<Variant>(`variants/${variant}/${way}`, undefined, versionOf(client, variant)),
    onError: (error) => tellClash(client, variant, error),
    onSuccess: (data) => {
      countSaved(client, variant);
      client.setQueryData(["variant", variant], data);
    },
  });
}

export function merge(jobs: Job[] | undefined, job: Job): Job[] {
  const rest = (jobs ?? []).filter((j) => j.id !== job.id);
  return [...rest, ...latest(jobs, [job])].sort((a, b) => a.created.localeCompare(b.created));
}

export function useRun(variant: number) {
  const client = useQueryClient();
  return useMutation({
    // after the changes that were made before it, so that it runs with them
    scope: { id: `settings ${variant}` },
    mutationFn: (asked: { target: string; live: boolean }) =>
      post<Job>(`variants/${variant}/runs`, asked),
    onSuccess: (job) => {
      client.setQueryData<Job[]>(["jobs"], (old) => merge(old, job));
      // a live run is answered when it is over
      if (OVER.includes(job.state)) client.invalidateQueries({ queryKey: ["variant", variant] });
    },
  });
}

export const OVER = ["done", "failed", "cancelled"];

/** Listen to the user's jobs; when one ends, what it may have changed is fetched again, as is a
 * variant that others change. */
export function useEvents(signedIn: boolean) {
  const client = useQueryClient();
  useEffect(() => {
    if (!signedIn) return;
    const source = new EventSource("/api/events");
    source.addEventListener("job", (event) => {
      const job = JSON.parse((event as MessageEvent<string>).data) as Job;
      const before = client.getQueryData<Job[]>(["jobs"])?.find((j) => j.id === job.id);
      client.setQueryData<Job[]>(["jobs"], (old) => merge(old, job));
      const moved = (["stage", "state", "looks"] as const).some((k) => before?.[k] !== job[k]);
      if (moved && job.variant) client.invalidateQueries({ queryKey: ["variant", job.variant] });
      if (before?.state !== job.state && OVER.includes(job.state))
        client.invalidateQueries({ queryKey: ["studies"] });
    });
    source.addEventListener("variant", (event) => {
      const told = JSON.parse((event as MessageEvent<string>).data) as Pick<
        Variant,
        "id" | "version"
      >;
      // one's own changes are known already, or just being told
      const key = ["variant", told.id];
      const held = client.getQueryData<Variant>(key);
      const waits = client.isMutating({ mutationKey: ["settings", told.id] }) > 0;
      if (held && held.version < told.version && !waits)
        client.invalidateQueries({ queryKey: key });
    });
    return () => source.close();
  }, [client, signedIn]);
}
