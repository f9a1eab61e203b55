"""Made-up data and its docket: a harbour office and the registers of three quays."""
