"""The Plan page: the questions before the shoot, each with inputs, a live drawing, readings, a proposal and what to film."""
