"""The planner's questions: reach, feeds and brake by hand formulas; line layouts proposed and tried."""
