// SHA-256 of many pieces side by side: each lane of a wide register works on a piece of its own.
// The digests are the same as one by one.
#include <algorithm>

#include "storage/hash.h"

#ifdef BAYSWAP_MULTI_HASH
#include <intel-ipsec-mb.h>

#include <memory>
#include <mutex>
#include <vector>
#endif

namespace bayswap {
namespace {

#ifdef BAYSWAP_MULTI_HASH

using Manager = std::unique_ptr<IMB_MGR, void (*)(IMB_MGR*)>;

// Making a manager takes as long as hashing half a megabyte, so that they are used again. One is
// never used by two threads at a time.
class SpareManagers {
 public:
  Manager take() {
    {
      const std::scoped_lock lock(guard_);
      if (!spare_.empty()) {
        Manager manager = std::move(spare_.back());
        spare_.pop_back();
        return manager;
      }
    }
    Manager manager(alloc_mb_mgr(0), free_mb_mgr);
    if (manager) init_mb_mgr_auto(manager.get(), nullptr);
    return manager;
  }
  void give_back(Manager manager) {
    const std::scoped_lock lock(guard_);
    spare_.push_back(std::move(manager));
  }

 private:
  std::mutex guard_;
  std::vector<Manager> spare_;
};

SpareManagers& spare_managers() {
  static SpareManagers instance;
  return instance;
}

bool hash_side_by_side(std::span<const ByteView> pieces, std::span<Digest> digests) {
  Manager manager = spare_managers().take();
  if (!manager) return false;
  IMB_MGR* const mb = manager.get();
  std::size_t done = 0;
  bool fine = true;
  const auto count = [&](IMB_JOB* job) {
    for (; job != nullptr; job = IMB_GET_COMPLETED_JOB(mb)) {
      fine = fine && job->status == IMB_STATUS_COMPLETED;
      ++done;
    }
  };
  for (std::size_t i = 0; i < pieces.size(); ++i) {
    IMB_JOB* const job = IMB_GET_NEXT_JOB(mb);
    *job = IMB_JOB{};
    job->cipher_direction = IMB_DIR_ENCRYPT;
    job->chain_order = IMB_ORDER_HASH_CIPHER;
    job->cipher_mode = IMB_CIPHER_NULL;
    job->hash_alg = IMB_AUTH_SHA_256;
    job->src = reinterpret_cast<const std::uint8_t*>(pieces[i].data());
    job->msg_len_to_hash_in_bytes = pieces[i].size();
    job->auth_tag_output = reinterpret_cast<std::uint8_t*>(digests[i].data());
    job->auth_tag_output_len_in_bytes = digests[i].size();
    count(IMB_SUBMIT_JOB(mb));
  }
  while (IMB_JOB* job = IMB_FLUSH_JOB(mb)) count(job);
  spare_managers().give_back(std::move(manager));
  return fine && done == pieces.size();
}

#else

bool hash_side_by_side(std::span<const ByteView> /*pieces*/, std::span<Digest> /*digests*/) {
  return false;
}

#endif

}  // namespace

void sha256_each(std::span<const ByteView> pieces, std::span<Digest> digests) {
  constexpr std::size_t kFew = 4;  // fewer do not fill the lanes
  const bool none_empty =
      std::ranges::none_of(pieces, [](ByteView piece) { return piece.empty(); });
  if (pieces.size() >= kFew && none_empty && hash_side_by_side(pieces, digests)) return;
  for (std::size_t i = 0; i < pieces.size(); ++i) digests[i] = sha256(pieces[i]);
}

}  // namespace bayswap
