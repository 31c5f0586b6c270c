"""What sources have seen, read as sightings: one file for each kind of document. No rule of the job is here."""
