import { lazy, Suspense } from "react";
import { Navigate, Outlet, Route, Routes, useLocation } from "react-router";
import { Empty, Skeleton } from "./parts/basics";
import { Boundary, Failed } from "./parts/Boundary";
import { useLook } from "./parts/look";
import { useAnnounced, useTitle } from "./parts/title";
import { SignInAgain } from "./parts/SignInAgain";
import { TopBar } from "./parts/TopBar";
import { SignInPage } from "./SignInPage";

const DocketPage = lazy(() => import("./docket/DocketPage").then((m) => ({ default: m.DocketPage })));
const ExperimentPage = lazy(() => import("./sheets/ExperimentPage").then((m) => ({ default: m.ExperimentPage })));
const ScratchpadPage = lazy(() => import("./scratchpad/ScratchpadPage").then((m) => ({ default: m.ScratchpadPage })));
const LibraryPage = lazy(() => import("./library/LibraryPage").then((m) => ({ default: m.LibraryPage })));
const MetricPage = lazy(() => import("./library/MetricPage").then((m) => ({ default: m.MetricPage })));
const ConnectionsPage = lazy(() => import("./running/ConnectionsPage").then((m) => ({ default: m.ConnectionsPage })));
const NoticesPage = lazy(() => import("./running/NoticesPage").then((m) => ({ default: m.NoticesPage })));
const CasebookPage = lazy(() => import("./casebook/CasebookPage").then((m) => ({ default: m.CasebookPage })));
const ManualPage = lazy(() => import("./ManualPage").then((m) => ({ default: m.ManualPage })));
const GlossaryPage = lazy(() => import("./GlossaryPage").then((m) => ({ default: m.GlossaryPage })));
const SharedReportPage = lazy(() => import("./report/ReportPage").then((m) => ({ default: m.SharedReportPage })));
const EngineerPage = lazy(() => import("./report/EngineerPage").then((m) => ({ default: m.EngineerPage })));
const AccountPage = lazy(() => import("./accounts/AccountPage").then((m) => ({ default: m.AccountPage })));
const AccountsPage = lazy(() => import("./accounts/AccountsPage").then((m) => ({ default: m.AccountsPage })));
const SetPasswordPage = lazy(() => import("./accounts/SetPasswordPage").then((m) => ({ default: m.SetPasswordPage })));
const ReportPage = lazy(() => import("./report/ReportPage").then((m) => ({ default: m.ReportPage })));

export function App() {
  const { pathname } = useLocation();
  return (
    <Boundary at={pathname} instead={inPage}>
      <Pages />
    </Boundary>
  );
}

function Pages() {
  return (
    <Suspense
      fallback={
        <div className="p-6">
          <Skeleton />
        </div>
      }
    >
      <Routes>
        <Route path="/sign-in" element={<SignInPage />} />
        <Route path="/set-password/:place/:token" element={<SetPasswordPage />} />
        <Route path="/reports/:key" element={<ReportPage />} />
        <Route path="/shared/:token" element={<SharedReportPage />} />
        <Route path="/for-engineers/:token" element={<EngineerPage />} />
        <Route element={<Frame />}>
          <Route index element={<DocketPage />} />
          <Route path="/scratchpad" element={<ScratchpadPage />} />
          <Route path="/casebook" element={<CasebookPage />} />
          <Route path="/metrics" element={<LibraryPage />} />
          <Route path="/metrics/:key" element={<MetricPage />} />
          <Route path="/notices" element={<NoticesPage />} />
          <Route path="/manual" element={<ManualPage />} />
          <Route path="/glossary" element={<GlossaryPage />} />
          <Route path="/account" element={<AccountPage />} />
          <Route path="/accounts" element={<AccountsPage />} />
          <Route path="/connections" element={<ConnectionsPage />} />
          <Route path="/experiments/:key" element={<Navigate to="brief" replace />} />
          <Route path="/experiments/:key/:sheet" element={<ExperimentPage />} />
          <Route path="*" element={<Nowhere />} />
        </Route>
      </Routes>
    </Suspense>
  );
}

function Frame() {
  const { pathname } = useLocation();
  const announced = useAnnounced();
  useLook();
  return (
    <>
      <a
        href="#content"
        className="no-print btn btn-sm btn-primary fixed top-2 left-2 z-30 -translate-y-20 focus:translate-y-0"
      >
        To the content
      </a>
      <TopBar />
      <SignInAgain />
      <div id="content" tabIndex={-1} className="outline-none">
        <Boundary at={pathname} instead={inPage}>
          <Outlet />
        </Boundary>
      </div>
      <p aria-live="polite" className="sr-only">
        {announced}
      </p>
    </>
  );
}

function Nowhere() {
  useTitle("Nothing here");
  return (
    <main className="p-6">
      <Empty title="There is nothing at this address">Go to the docket (g then d).</Empty>
    </main>
  );
}

function inPage(error: Error, again: () => void) {
  return (
    <main className="mx-auto max-w-3xl p-6">
      <Failed error={error} again={again} />
    </main>
  );
}
