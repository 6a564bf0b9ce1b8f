"""What is drawn: certificates, reports, lot papers and labels, from templates a site can change."""
