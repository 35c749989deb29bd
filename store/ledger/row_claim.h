/* A row of a table of boards that was assigned on the ledger's server. */
#pragma once

struct row_claim {
    unsigned row; /* line in the table */
    char *board;  /* EUI-48 */
    char *mark;   /* derived from the row, see row_claims_add */
    char *computer;
};
