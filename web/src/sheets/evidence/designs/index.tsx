import type { ReactNode } from "react";

import type { Adaptive, Factorial, Reading } from "../../../api/client";
import { AdaptivePanel } from "./AdaptivePanel";
import { FactorialPanel } from "./FactorialPanel";

type Summary = NonNullable<Reading["summary"]>;
type DesignPanel = (props: { summary: Summary; reading: Reading; experiment: string }) => ReactNode;

/** What a design shows in addition to the comparisons, by its name; its summary is that of its own. To add one: a panel here, and a
 * line below. */
export const DESIGN_PANELS: Record<string, DesignPanel> = {
  adaptive: ({ summary, ...rest }) => <AdaptivePanel summary={summary as Adaptive} {...rest} />,
  factorial: ({ summary, ...rest }) => <FactorialPanel summary={summary as Factorial} {...rest} />,
};
