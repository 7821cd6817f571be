import { Suspense, lazy } from "react";
import {
  Navigate,
  Outlet,
  RouterProvider,
  createBrowserRouter,
  useParams,
  useRouteError,
} from "react-router";
import { sayError } from "./api/client";
import { useEvents } from "./api/events";
import { useStudy } from "./api/hooks";
import { Frame } from "./frame/Frame";
import { StudiesPage } from "./studies/StudiesPage";
import { Button } from "./ui/Button";
import { Problem } from "./ui/Messages";

// Each stage is loaded when it is first opened; the map and the charts are most of the code.
const ScenesPage = lazy(() =>
  import("./scenes/ScenesPage").then((m) => ({ default: m.ScenesPage })),
);
const PreparePage = lazy(() =>
  import("./prepare/PreparePage").then((m) => ({ default: m.PreparePage })),
);
const AlignPage = lazy(() => import("./align/AlignPage").then((m) => ({ default: m.AlignPage })));
const ClassifyPage = lazy(() =>
  import("./classify/ClassifyPage").then((m) => ({ default: m.ClassifyPage })),
);
const ComparePage = lazy(() =>
  import("./compare/ComparePage").then((m) => ({ default: m.ComparePage })),
);
const ReviewPage = lazy(() =>
  import("./review/ReviewPage").then((m) => ({ default: m.ReviewPage })),
);
const TallyPage = lazy(() => import("./tally/TallyPage").then((m) => ({ default: m.TallyPage })));
const ReportPage = lazy(() =>
  import("./report/ReportPage").then((m) => ({ default: m.ReportPage })),
);
const WorkersPage = lazy(() =>
  import("./workers/WorkersPage").then((m) => ({ default: m.WorkersPage })),
);
const InterfacePage = lazy(() =>
  import("./interface/InterfacePage").then((m) => ({ default: m.InterfacePage })),
);

function Shell() {
  useEvents();
  return (
    <Frame>
      <Suspense fallback={<p className="p-6 text-soft">Loading …</p>}>
        <Outlet />
      </Suspense>
    </Frame>
  );
}

/** Stages of a study; says so when there is no such study. */
function StudyShell() {
  const { id } = useParams();
  const study = useStudy(id!);
  if (study.error) {
    return (
      <div className="m-auto w-[420px] space-y-3">
        <Problem>{sayError(study.error)}</Problem>
        <Button
          onClick={() => {
            location.href = "/";
          }}
        >
          All studies
        </Button>
      </div>
    );
  }
  if (!study.data) {
    return <p className="p-6 text-soft">Loading …</p>;
  }
  return <Outlet key={id} context={study.data} />;
}

function Broken() {
  const e = useRouteError();
  return (
    <div className="m-auto mt-24 w-[460px] space-y-3">
      <Problem>This page broke: {sayError(e)}</Problem>
      <Button onClick={() => location.reload()}>Load it again</Button>
    </div>
  );
}
function Nowhere() {
  return (
    <div className="m-auto w-[420px] space-y-3">
      <Problem>There is no page at this address.</Problem>
      <Button
        onClick={() => {
          location.href = "/";
        }}
      >
        All studies
      </Button>
    </div>
  );
}

const router = createBrowserRouter([
  {
    element: <Shell />,
    errorElement: <Broken />,
    children: [
      { path: "/", element: <StudiesPage /> },
      { path: "/interface", element: <InterfacePage /> },
      { path: "/workers", element: <WorkersPage /> },
      {
        path: "/studies/:id",
        element: <StudyShell />,
        children: [
          { index: true, element: <Navigate to="scenes" replace /> },
          { path: "scenes", element: <ScenesPage /> },
          { path: "prepare", element: <PreparePage /> },
          { path: "align", element: <AlignPage /> },
          { path: "classify", element: <ClassifyPage /> },
          { path: "compare", element: <ComparePage /> },
          { path: "review", element: <ReviewPage /> },
          { path: "tally", element: <TallyPage /> },
          { path: "report", element: <ReportPage /> },
        ],
      },
      { path: "*", element: <Nowhere /> },
    ],
  },
]);

/** The pages and their addresses. */
export function App() {
  return <RouterProvider router={router} />;
}
