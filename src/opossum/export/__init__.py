"""A take in formats that others read: tables as Parquet or CSV, and spans as OpenTelemetry's OTLP JSON."""
