/* libpq, loaded when it is first needed; call pq_library_load first. */
#pragma once

#include <libpq-fe.h>

#include "base/lazy_library.h"

/* clang-format off */
#define PQ_CALLS(CALL) \
    CALL(PQclear) CALL(PQconndefaults) CALL(PQconnectPoll) CALL(PQconnectStart) \
    CALL(PQconninfoFree) CALL(PQconninfoParse) CALL(PQconsumeInput) CALL(PQerrorMessage) \
    CALL(PQfinish) CALL(PQflush) CALL(PQgetResult) CALL(PQgetisnull) CALL(PQgetvalue) \
    CALL(PQhost) CALL(PQisBusy) CALL(PQnfields) CALL(PQntuples) CALL(PQresultErrorField) \
    CALL(PQresultErrorMessage) CALL(PQresultStatus) CALL(PQsendQuery) CALL(PQsendQueryParams) \
    CALL(PQsetNoticeReceiver) CALL(PQsetSingleRowMode) CALL(PQsetnonblocking) CALL(PQsocket) \
    CALL(PQsslInUse) CALL(PQstatus)
/* clang-format on */
PQ_CALLS(LAZY_DECLARE)

/* FALSE with error if it is not installed. */
gboolean pq_library_load(GError **error);

#ifndef LAZY_LINKED
#define PQclear lazy_PQclear
#define PQconndefaults lazy_PQconndefaults
#define PQconnectPoll lazy_PQconnectPoll
#define PQconnectStart lazy_PQconnectStart
#define PQconninfoFree lazy_PQconninfoFree
#define PQconninfoParse lazy_PQconninfoParse
#define PQconsumeInput lazy_PQconsumeInput
#define PQerrorMessage lazy_PQerrorMessage
#define PQfinish lazy_PQfinish
#define PQflush lazy_PQflush
#define PQgetResult lazy_PQgetResult
#define PQgetisnull lazy_PQgetisnull
#define PQgetvalue lazy_PQgetvalue
#define PQhost lazy_PQhost
#define PQisBusy lazy_PQisBusy
#define PQnfields lazy_PQnfields
#define PQntuples lazy_PQntuples
#define PQresultErrorField lazy_PQresultErrorField
#define PQresultErrorMessage lazy_PQresultErrorMessage
#define PQresultStatus lazy_PQresultStatus
#define PQsendQuery lazy_PQsendQuery
#define PQsendQueryParams lazy_PQsendQueryParams
#define PQsetNoticeReceiver lazy_PQsetNoticeReceiver
#define PQsetSingleRowMode lazy_PQsetSingleRowMode
#define PQsetnonblocking lazy_PQsetnonblocking
#define PQsocket lazy_PQsocket
#define PQsslInUse lazy_PQsslInUse
#define PQstatus lazy_PQstatus
#endif
