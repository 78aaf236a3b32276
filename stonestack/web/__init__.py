"""The HTTP interface: no rules of the job, only requests to the services and back."""
