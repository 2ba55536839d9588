#pragma once

#include <algorithm>
#include <cstddef>
#include <cstdint>
#include <initializer_list>
#include <optional>
#include <utility>
#include <vector>

#include "assay/model/visible.hpp"

namespace assay::model {

/// Things of one kind, each named by the Id under which it was added. Ids count from 0; a thing keeps its Id
/// for good.
///
///   IdTable<CellId, Cell> cells;
///   const CellId id = cells.add({.candidate = list});
///   cells[id].setting;
///
/// Looking up an Id that the table does not hold throws std::out_of_range: ids that come from a file are
/// checked with contains() where they are read.
template <class Id, class T>
class IdTable {
 public:
  using value_type = T;
  using iterator = typename std::vector<T>::iterator;
  using const_iterator = typename std::vector<T>::const_iterator;

  IdTable() = default;
  IdTable(std::initializer_list<T> rows) : rows_(rows) {}
  /// `count` things, each a copy of `thing`.
  IdTable(std::size_t count, const T& thing) : rows_(count, thing) {}

  Id add(T row) {
    rows_.push_back(std::move(row));
    return Id{static_cast<std::int64_t>(rows_.size()) - 1};
  }

  T& operator[](Id id) { return rows_.at(static_cast<std::size_t>(id.value)); }
  const T& operator[](Id id) const { return rows_.at(static_cast<std::size_t>(id.value)); }
  bool contains(Id id) const { return id.value >= 0 && static_cast<std::size_t>(id.value) < rows_.size(); }

  std::size_t size() const { return rows_.size(); }
  bool empty() const { return rows_.empty(); }

  iterator begin() { return rows_.begin(); }
  iterator end() { return rows_.end(); }
  const_iterator begin() const { return rows_.begin(); }
  const_iterator end() const { return rows_.end(); }
  const T& front() const { return rows_.front(); }
  T& front() { return rows_.front(); }
  const T& back() const { return rows_.back(); }
  T& back() { return rows_.back(); }

  /// Every Id, in order; does not refer to the table.
  class Ids {
   public:
    class iterator {
     public:
      using value_type = Id;
      using difference_type = std::int64_t;
      iterator() = default;
      explicit iterator(std::int64_t value) : value_(value) {}
      Id operator*() const { return Id{value_}; }
      iterator& operator++() {
        ++value_;
        return *this;
      }
      iterator operator++(int) { return iterator{value_++}; }
      bool operator==(const iterator&) const = default;

     private:
      std::int64_t value_ = 0;
    };
    explicit Ids(std::int64_t size) : size_(size) {}
    iterator begin() const { return iterator{0}; }
    iterator end() const { return iterator{size_}; }

   private:
    std::int64_t size_;
  };
  Ids ids() const { return Ids(static_cast<std::int64_t>(rows_.size())); }

  /// The Id that the next thing will have.
  Id next_id() const { return Id{static_cast<std::int64_t>(rows_.size())}; }

  /// The first for which `wanted(thing)` holds. Cost: linear.
  template <class Wanted>
  std::optional<Id> find(Wanted&& wanted) const {
    const auto found = std::ranges::find_if(rows_, wanted);
    if (found == rows_.end()) return {};
    return Id{found - rows_.begin()};
  }

  /// The first with this `name`. Cost: linear.
  template <class Name>
  std::optional<Id> find_by_name(const Name& name) const {
    return find([&](const T& thing) { return thing.name == name; });
  }

  bool operator==(const IdTable&) const = default;

 private:
  std::vector<T> rows_;
};

}  // namespace assay::model
