// Set-up of the unit tests: a slow machine is no reason to fail.
import { configure } from "@testing-library/react";

configure({ asyncUtilTimeout: 30_000 });
