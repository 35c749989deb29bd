/* Findings, each with a lock: who asks while another finds it out waits. */
#include "findings.h"

#include <pthread.h>
#include <stdlib.h>
#include <string.h>

#include "estimate.h"
#include "filtered_source.h"
#include "key.h"

/* Added to keys, which are those of streams else. */
enum purpose {
    FILTER = 1,
    ESTIMATE,
    CLAIM,
};

struct finding {
    struct finding *next;
    struct pack_key key;
    pthread_mutex_t lock;
    bool made, good;
    uint32_t count;
    uint32_t values[];
};

struct pack_findings {
    pthread_mutex_t lock;
    struct finding *first;
};

struct pack_findings *pack_findings_new(void)
{
    struct pack_findings *findings = calloc(1, sizeof *findings);

    if (findings)
        pthread_mutex_init(&findings->lock, NULL);
    return findings;
}

void pack_findings_drop(struct pack_findings *findings)
{
    while (findings->first) {
        struct finding *finding = findings->first;
        findings->first = finding->next;
        pthread_mutex_destroy(&finding->lock);
        free(finding);
    }
}

void pack_findings_free(struct pack_findings *findings)
{
    pack_findings_drop(findings);
    pthread_mutex_destroy(&findings->lock);
    free(findings);
}

static struct finding *add(struct pack_findings *findings, const struct pack_key *key,
                           uint32_t count)
{
    struct finding *finding = calloc(1, sizeof *finding + count * sizeof finding->values[0]);

    if (!finding)
        return NULL;
    pthread_mutex_init(&finding->lock, NULL);
    finding->key = *key;
    finding->count = count;
    finding->next = findings->first;
    findings->first = finding;
    return finding;
}

/* The finding for this purpose, locked. NULL if the content cannot be read. */
static struct finding *begin(struct pack_findings *findings, const struct wry_packing *packing,
                             enum purpose purpose, uint32_t piece, uint32_t count)
{
    struct pack_key key;
    struct finding *finding;

    if (!pack_key_of(packing, &key))
        return NULL;
    pack_key_add(&key, purpose);
    pack_key_add(&key, piece);
    pack_key_add(&key, count);
    pthread_mutex_lock(&findings->lock);
    for (finding = findings->first; finding && !pack_key_equal(&finding->key, &key);)
        finding = finding->next;
    if (!finding)
        finding = add(findings, &key, count);
    pthread_mutex_unlock(&findings->lock);
    if (finding)
        pthread_mutex_lock(&finding->lock);
    return finding;
}

static bool end(struct finding *finding, uint32_t *values)
{
    bool good = finding->good;

    finding->made = good; /* who was stopped leaves it to the next */
    memcpy(values, finding->values, finding->count * sizeof *values);
    pthread_mutex_unlock(&finding->lock);
    return good;
}

bool pack_findings_filter(struct pack_findings *findings, const struct wry_packing *packing,
                          uint8_t *filter)
{
    struct wry_packing any = *packing;
    uint32_t value;
    uint8_t found;

    any.coding = 0; /* it is the same for every coding */
    any.window = 0;
    struct finding *finding = begin(findings, &any, FILTER, 0, 1);
    if (!finding)
        return false;
    if (!finding->made) {
        finding->good = pack_filter_choose(packing, &found);
        finding->values[0] = finding->good ? found : WRY_FILTER_NONE;
    }
    bool good = end(finding, &value);
    *filter = (uint8_t)value;
    return good;
}

bool pack_findings_claim(struct pack_findings *findings, const struct wry_packing *packing)
{
    uint32_t value;
    struct finding *finding = begin(findings, packing, CLAIM, 0, 1);

    if (!finding)
        return false;
    bool first = !finding->made;
    finding->good = true;
    end(finding, &value);
    return first;
}

bool pack_findings_estimate(struct pack_findings *findings, const struct wry_packing *packing,
                            uint32_t piece, uint32_t *ends, uint32_t count)
{
    struct finding *finding = begin(findings, packing, ESTIMATE, piece, count);

    if (!finding)
        return false;
    if (!finding->made)
        finding->good = pack_estimate(packing, piece, finding->values, count);
    return end(finding, ends);
}
