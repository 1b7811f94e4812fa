import { useState } from "react";
import { Link, useParams } from "react-router";
import { useSharedReport } from "../api/outcome";
import { useReport, useSession } from "../api/hooks";
import { Failure, Skeleton } from "../parts/basics";
import type { RegionReport, Report } from "../api/client";
import { RegionReportSheet } from "./RegionReportSheet";
import { ReportSheet } from "./ReportSheet";
import { ShareDialog } from "./ShareDialog";
import { useTitle } from "../parts/title";

export function ReportPage() {
  const { key = "" } = useParams();
  const report = useReport(key);
  useTitle("Report", report.data?.name ?? "");
  const { data: session } = useSession();
  const [sharing, setSharing] = useState(false);
  const base = `/api/v1/experiments/${key}`;
  return (
    <main className="mx-auto max-w-[820px] px-3 py-5 print:p-0">
      <div className="no-print mb-2 flex flex-wrap items-center gap-x-4 gap-y-1 text-sm">
        <Link to="/" className="link">
          Docket
        </Link>
        <Link to={`/experiments/${key}/verdict`} className="link">
          The experiment
        </Link>
        <span className="ml-auto flex flex-wrap items-center gap-2">
          {report.data && (
            <>
              <span className="quiet">Export:</span>
              {[
                ["Page", `${base}/report.html`],
                ["Slides", `${base}/report.pptx`],
                ["Picture, SVG", `${base}/picture.svg`],
                ["PNG", `${base}/picture.png`],
                ...(report.data.by_region ? [] : [["Verdict file", `${base}/verdict.zip`]]),
              ].map(([name, address]) => (
                <a key={name} className="link" href={address} download>
                  {name}
                </a>
              ))}
            </>
          )}
          {session?.account?.may_edit && report.data && (
            <button className="btn btn-xs" onClick={() => setSharing(true)}>
              Share…
            </button>
          )}
          <button className="btn btn-xs" onClick={() => window.print()}>
            Print
          </button>
        </span>
      </div>
      {report.isPending && <Skeleton rows={6} />}
      {report.isError && <Failure error={report.error} again={() => void report.refetch()} />}
      {report.data && <Sheet report={report.data} />}
      {sharing && <ShareDialog experiment={key} kind="report" close={() => setSharing(false)} />}
    </main>
  );
}

/** Of visitors, or by region. */
function Sheet({ report }: { report: Report | RegionReport }) {
  return report.by_region ? <RegionReportSheet report={report} /> : <ReportSheet report={report} />;
}

/** The report behind a link: no account, nothing to press but print. */
export function SharedReportPage() {
  const { token = "" } = useParams();
  const report = useSharedReport(token);
  useTitle("Report", report.data?.name ?? "");
  return (
    <main className="mx-auto max-w-[820px] px-3 py-5 print:p-0">
      <div className="no-print mb-2 flex items-center text-sm">
        <span className="quiet">Shared with you, to read</span>
        <button className="btn btn-xs ml-auto" onClick={() => window.print()}>
          Print
        </button>
      </div>
      {report.isPending && <Skeleton rows={6} />}
      {report.isError && (
        <div role="alert" className="sheet px-6 py-8 text-center">
          <h1 className="mb-1 text-xl">This report does not open</h1>
          <p className="quiet">{report.error.message}</p>
        </div>
      )}
      {report.data && <Sheet report={report.data} />}
    </main>
  );
}
