"""Certificates and nonconformance reports: documents, sealing, ledger, paper, verifying."""
