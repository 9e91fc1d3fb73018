"""Rules of the job: each looks at a survey and reports what it finds, with the measure and why it matters."""
