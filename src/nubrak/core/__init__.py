"""The job itself: arrays and plain models in, arrays and plain models out. No web, no database, no clock."""
