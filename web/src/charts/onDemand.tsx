import { lazy, Suspense, type ComponentType } from "react";
import { HEIGHT } from "./drawing";

const LINE = 24; // pixels: the line that opens a table, or a legend

/**
 * Charts that need the drawing library: figures and words are there before it has come, and keep their places, with room for the lines
 * below a chart.
 */
function onDemand<Props extends { height?: number }>(load: () => Promise<ComponentType<Props>>, lines = 1) {
  const Drawn = lazy(() => load().then((component) => ({ default: component as ComponentType<object> })));
  return function Chart(props: Props) {
    return (
      <Suspense
        fallback={
          <div style={{ paddingBottom: lines * LINE }} aria-hidden>
            <div className="skeleton w-full" style={{ height: props.height ?? HEIGHT }} />
          </div>
        }
      >
        <Drawn {...props} />
      </Suspense>
    );
  };
}

export const DailyLines = onDemand(() => import("./DailyLines").then((m) => m.DailyLines));
export const LiftOverTime = onDemand(() => import("./LiftOverTime").then((m) => m.LiftOverTime));
export const WeeksCurve = onDemand(() => import("./WeeksCurve").then((m) => m.WeeksCurve));
export const DesignsPicture = onDemand(() => import("./DesignsPicture").then((m) => m.DesignsPicture));
export const CoursePicture = onDemand(() => import("./CoursePicture").then((m) => m.CoursePicture));
export const SpendPicture = onDemand(() => import("./SpendPicture").then((m) => m.SpendPicture), 2);
export const PlaceboPicture = onDemand(() => import("./PlaceboPicture").then((m) => m.PlaceboPicture));
