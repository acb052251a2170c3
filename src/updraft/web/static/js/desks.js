/** The views of the desk: each is made with the studio and the desk, and shown by its name. */
import { ColumnDesk } from "./deskColumn.js";
import { FindingsDesk } from "./deskFindings.js";
import { FlowDesk } from "./deskFlow.js";
import { ProfileDesk } from "./deskProfile.js";
import { RunDesk } from "./deskRun.js";
import { StepDesk } from "./deskStep.js";

export const DESKS = {
  stepDesk: StepDesk,
  columnDesk: ColumnDesk,
  flowDesk: FlowDesk,
  runDesk: RunDesk,
  findingsDesk: FindingsDesk,
  profileDesk: ProfileDesk,
};
