import type { ReactNode } from "react";

import type { Reading } from "../../../api/client";
import { AdaptivePanel } from "./AdaptivePanel";

type Summary = NonNullable<Reading["summary"]>;
type DesignPanel = (props: { summary: Summary; reading: Reading; experiment: string }) => ReactNode;

/** What a design shows in addition to the comparisons, by its name. To add one: a panel here, and a line below. */
export const DESIGN_PANELS: Record<string, DesignPanel> = { adaptive: AdaptivePanel };
