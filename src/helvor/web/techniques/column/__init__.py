"""A column on a run's page: bed, rack, fraction plate, pools."""
