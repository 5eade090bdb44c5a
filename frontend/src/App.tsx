import { Home } from "./home/Home";
import { ProjectPage } from "./home/ProjectPage";
import { useAddress } from "./state/address";
import { Notices } from "./ui/Notices";
import { Workplace } from "./Workplace";

export function App() {
  const { projectId, shotId } = useAddress();
  return (
    <>
      {projectId && shotId ? (
        <Workplace key={shotId} projectId={projectId} shotId={shotId} />
      ) : projectId ? (
        <ProjectPage projectId={projectId} />
      ) : (
        <Home />
      )}
      <Notices />
    </>
  );
}
