import { Account } from "./account/Account";
import { Join } from "./account/Join";
import { useEvents, useSession } from "./api/queries";
import { Bench } from "./bench/Bench";
import { Compare } from "./compare/Compare";
import { Guarded } from "./parts/Guarded";
import { usePlace } from "./parts/route";
import { Shelf } from "./shelf/Shelf";
import { SignIn } from "./shelf/SignIn";

export function App() {
  const session = useSession();
  const place = usePlace();
  useEvents(Boolean(session.data?.username));
  if (session.isPending) return null;
  if (session.isError) {
    return (
      <p className="p-10 sentence" role="alert">
        {session.error.message}
      </p>
    );
  }
  if (place.join) return <Join secret={place.join} />;
  if (!session.data.username) return <SignIn unguarded={session.data.unguarded} />;
  return (
    <Guarded name="This page" again={[place]}>
      {place.account ? (
        <Account session={session.data} />
      ) : place.study === null ? (
        <Shelf session={session.data} />
      ) : place.compare && place.compare.length > 1 ? (
        <Compare key={place.study} study={place.study} shown={place.compare} />
      ) : (
        <Bench key={place.study} place={place} study={place.study} />
      )}
    </Guarded>
  );
}
