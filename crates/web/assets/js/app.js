// Starts the page. JavaScript draws, listens and remembers what is under the finger; every number
// and every rule comes from the server.
import Alpine from "../vendor/alpine-csp.js";
import { startDay } from "./day.js";
import { startExisting } from "./existing.js";
import { registerFault, startFault } from "./fault.js";
import { registerForms } from "./forms.js";
import { startHub } from "./hub.js";
import { startJob, startStandings } from "./job.js";
import { startKept } from "./kept.js";
import { startListening } from "./listen.js";
import { startPlan } from "./plan.js";
import { startPlans } from "./plans.js";
import { startProve } from "./prove.js";
import { startReach } from "./reach.js";
import { startSheet } from "./sheet.js";
import { startSurvey } from "./survey.js";
import { startThings } from "./things.js";

registerForms(Alpine);
registerFault(Alpine);
Alpine.start();
startJob();
startStandings();
startThings();
startPlan();
startProve();
startReach();
startSurvey();
startHub();
startSheet();
startExisting();
startPlans();
startDay();
startFault();
startListening();
startKept();
document.documentElement.dataset.ready = "true";
