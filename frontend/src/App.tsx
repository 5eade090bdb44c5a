import { Home } from "./home/Home";
import { KeyPage } from "./home/KeyPage";
import { ProjectPage } from "./home/ProjectPage";
import { SitePage } from "./site/SitePage";
import { useAddress } from "./state/address";
import { useSession } from "./state/session";
import { Notices } from "./ui/Notices";
import { Workplace } from "./Workplace";

export function App() {
  const { projectId, shotId, isSite } = useAddress();
  const session = useSession();
  if (session?.asked && !session.name) return <KeyPage />;
  return (
    <>
      {projectId && shotId ? (
        <Workplace key={shotId} projectId={projectId} shotId={shotId} />
      ) : projectId && isSite ? (
        <SitePage projectId={projectId} />
      ) : projectId ? (
        <ProjectPage projectId={projectId} />
      ) : (
        <Home />
      )}
      <Notices />
    </>
  );
}
